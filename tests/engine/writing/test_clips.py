"""Where clips are, to the sample: counted, told, kept in journal and file."""

from pathlib import Path

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.sound.meters import CLIP_RUN, BlockMeter
from cattailer.core.takes.course import Course
from cattailer.engine.writing.runwriter import RunWriter
from cattailer.media import wavfile
from tests.helpers.ramp import capture, ramp, settle, stories

assert RunWriter


@given(st.lists(st.booleans(), min_size=1, max_size=60), st.lists(st.integers(1, 9), min_size=1, max_size=20))
def test_clips_begin_where_the_first_full_sample_is_however_blocks_fall(full: list[bool], sizes: list[int]) -> None:
    sound = np.where(full, 1.0, 0.1).astype(np.float32)
    expected = [
        n for n in range(len(full) - CLIP_RUN + 1)
        if all(full[n:n + CLIP_RUN]) and not (n and full[n - 1])
    ]
    meter, found, at = BlockMeter(1), [], 0
    while at < len(sound):
        size = sizes[len(found) % len(sizes)]
        meter.add(sound[None, at:at + size])
        found += [at + sample for _, sample in meter.fresh]
        at += size
    assert found == expected
    assert int(meter.clips[0]) == len(expected)


def test_a_clip_is_told_at_its_place_and_marked_in_the_file(tmp_path: Path) -> None:
    clipped = {5_000, 30_000}

    def shape(at: np.ndarray) -> np.ndarray:
        return np.where([any(c <= n < c + 4 for c in clipped) for n in at.tolist()], 1.0, 0.2).astype(np.float32)

    engine = ramp(shape=shape)
    made = capture(engine, tmp_path, Course(limit=48_000))
    settle(engine)
    story, = stories(tmp_path)
    first = made.runs[-1].first or 0
    expected = tuple(sorted(n - first for n in clipped))
    assert story.files[0].clips_at == expected
    assert story.files[0].clips == 2
    events = [e for e in engine.events if e["topic"] == "event" and e["kind"] == "clip"]
    assert [e["at"] for e in events] == list(expected), "it was captured from 0 on"
    data = (story.folder / story.header.files[0].path).read_bytes()
    assert data.count(b"clipped\0") == 2
    assert wavfile.inspect(story.folder / story.header.files[0].path).frames == 48_000

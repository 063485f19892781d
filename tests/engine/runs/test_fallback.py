"""A disk that fails in mid-run: the capture goes on below another folder, and no sample is missing."""

import errno
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from cattailer.core.takes.course import SOUND, SOUNDS, Course
from cattailer.engine.offline import run_inline
from cattailer.engine.runs.fallback import OVERLAP_S
from cattailer.media import journal, recovery, wavfile
from tests.helpers.disks import FaultyDisk
from tests.helpers.ramp import capture, held, ramp, settle

RATE = 48_000


class Failing:
    """Below ``folder`` nothing can be written any more once ``fails``; elsewhere all is well."""

    def __init__(self, folder: Path, code: int = errno.EIO) -> None:
        self.fails, self._folder, self._code = False, folder, code

    def __call__(self, what: str, path: Path, longer: int) -> int | None:
        if self.fails and path.is_relative_to(self._folder) and what != "is_at":
            raise OSError(self._code, "Input/output error")
        return None


def all_stories(*folders: Path) -> list[journal.RunStory]:
    """Of every run, in order; what broke off is mended first, as entering does it once the disk is back."""
    for folder in folders:
        for path in folder.glob("run-*/*.jsonl"):
            recovery.mend_run(path)
    found = [journal.read(path) for folder in folders for path in folder.glob("run-*/*.jsonl")]
    return sorted(found, key=lambda s: s.header.number)


def run_with(
    tmp_path: Path, course: Course, fails_after: int, stop_after: int | None = None, code: int = errno.EIO,
    part: str = "", **options: Any,
) -> list[journal.RunStory]:
    main, other = tmp_path / "main", tmp_path / "other"
    main.mkdir()
    other.mkdir()
    failing = Failing(main / part, code)
    engine = ramp(disk=FaultyDisk(failing), **options)
    capture(engine, main / "ferry", course, fallback=other / "ferry")
    run_inline(engine, lambda: engine.sample < fails_after)
    failing.fails = True
    if stop_after is not None:
        run_inline(engine, lambda: engine.sample < stop_after)
        engine.soon(engine.stop)
    settle(engine)
    said = [e["message"] for e in engine.events if e["topic"] == "event" and e["kind"] == "halt"]
    assert said, "it is said at once"
    assert all(f"goes on in {other / 'ferry'}" in words for words in said)
    return all_stories(main / "ferry", other / "ferry")


def covered(stories: list[journal.RunStory]) -> dict[int, int]:
    """Timeline position → the sample of the ramp there, as the newest take has it."""
    found: dict[int, int] = {}
    for story in stories:
        for offset, number in enumerate(held(story).tolist()):
            found[story.header.start + offset] = number
    return found


@pytest.mark.parametrize("code", [errno.EIO, errno.ENOSPC, errno.EROFS])
def test_a_run_goes_on_elsewhere_without_a_missing_sample(tmp_path: Path, code: int) -> None:
    stories = run_with(tmp_path, Course(limit=6 * RATE), 4 * RATE, code=code)
    assert len(stories) == 2
    first, second = stories
    assert first.message
    assert second.message == ""
    assert second.header.roll == first.header.run
    assert second.header.note.startswith("goes on where the disk of take 1 failed")
    assert second.header.start + second.samples == 6 * RATE
    sound = covered(stories)
    assert sorted(sound) == list(range(6 * RATE)), "no sample is missing"
    differ = np.diff([sound[n] for n in range(6 * RATE)])
    assert (differ == 1).all(), "nor doubled, nor shifted"
    assert second.header.start >= 4 * RATE - (OVERLAP_S + 1) * RATE


@pytest.mark.parametrize("part", ["", "ferry/run-003"])
def test_passes_of_a_loop_go_on_elsewhere(tmp_path: Path, part: str) -> None:
    """Also where the pass that was made ready meanwhile could have been written."""
    length = RATE + 1
    course = Course(first=0, start=0, until=length, loops=True, passes=5)
    stories = run_with(tmp_path, course, 2 * RATE + 3000, part=part)
    last = {}
    for story in stories:
        sound = held(story)
        last.setdefault(story.header.pass_number, {}).update(
            zip(range(story.header.start, story.header.start + len(sound)), sound.tolist(), strict=True)
        )
    assert sorted(last) == [1, 2, 3, 4, 5]
    one_after_another = [last[number][at] for number in sorted(last) for at in range(length)]
    assert (np.diff(one_after_another) == 1).all()
    assert len({s.header.number for s in stories}) == len(stories)
    played = [s.header.pass_number for s in stories if s.samples]
    assert played == sorted(played), "numbers follow the order played"


def test_what_begins_with_sound_goes_on_elsewhere(tmp_path: Path) -> None:
    def shape(at: np.ndarray) -> np.ndarray:
        loud = ((at >= RATE) & (at < 4 * RATE)) | (at >= 8 * RATE)
        return np.where(loud, 0.25, 0.0) + (at % (1 << 20)) / float(1 << 24)

    course = Course(begin=SOUNDS, threshold=0.2, before=100, gap=RATE, tail=500)
    stories = run_with(tmp_path, course, 2 * RATE + RATE // 2, stop_after=10 * RATE, shape=shape)
    assert [s.header.pass_number for s in stories] == [1, 1, 2]
    whole = {n for s in stories[:2] for n in range(s.header.start, s.header.start + s.samples)}
    assert whole == set(range(3 * RATE + 100 + 500))


def test_where_the_fallback_fails_too_the_capture_ends_and_says_so(tmp_path: Path) -> None:
    main, other = tmp_path / "main", tmp_path / "other"
    main.mkdir()
    failing = Failing(tmp_path)
    engine = ramp(disk=FaultyDisk(failing))
    capture(engine, main / "ferry", Course(), fallback=other / "ferry")
    run_inline(engine, lambda: engine.sample < 2 * RATE)
    failing.fails = True
    settle(engine)
    assert engine.transport.state == "stopped"
    said = [e["message"] for e in engine.events if e["topic"] == "event" and e["kind"] == "halt"]
    assert any("could not be opened" in words for words in said)
    assert engine.sample < 40 * RATE, "it is not tried for ever"


def test_what_waits_for_sound_is_captured_elsewhere_when_its_disk_is_gone_meanwhile(tmp_path: Path) -> None:
    main, other = tmp_path / "main", tmp_path / "other"
    main.mkdir()
    other.mkdir()
    failing = Failing(main)
    engine = ramp(disk=FaultyDisk(failing), shape=lambda at: np.where(at >= 6 * RATE, 0.25, 0.0))
    capture(engine, main / "ferry", Course(begin=SOUND, threshold=0.2, before=100, limit=RATE), fallback=other / "ferry")
    run_inline(engine, lambda: engine.sample < RATE)
    failing.fails = True
    (waiting,) = [kept.run for kept in engine._recorder._kept]
    waiting.fail(OSError(errno.EIO, "Input/output error"))  # as the thread that syncs finds it
    settle(engine)
    (story,) = all_stories(other / "ferry")
    assert (story.samples, story.header.start) == (RATE, 0)
    sound = wavfile.read(wavfile.inspect(story.folder / story.header.files[0].path))[0]
    assert (sound[:100] == 0).all()
    assert (sound[100:] > 0.2).all()

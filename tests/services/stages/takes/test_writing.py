"""What is in use, written out: as it sounds, from bar 1 or as it lies."""

from pathlib import Path

import numpy as np
import pytest

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.takes.pieces import Piece
from cattailer.media import bwf, wavfile, writtenout
from cattailer.processes import comp
from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo
from cattailer.services.stages.takes import cutting, writing
from tests.helpers.plans import ORIGIN
from tests.helpers.sessions import make_takes, plan_of, rows_of
from tests.helpers.waiting import wait_for

pytestmark = pytest.mark.without_engine


def test_what_is_in_use_is_written_a_file_a_track(desk: Desk) -> None:
    session = make_takes(desk)
    track = rows_of(desk, session)[0].id
    cutting.erase(desk, session, track, 0, 5000)
    cutting.set_gain(desk, session, track, 5000, -6.0)
    writing.begin(desk, session, as_it_lies=False)
    wait_for(lambda: not writing.state(desk, session).going)
    live = writing.state(desk, session)
    assert not live.wrong
    files = sorted(Path(live.folder).glob("*.wav"))
    assert len(files) == 2
    info = wavfile.inspect(next(f for f in files if "Dulcimer-left" in f.name))
    assert info.start == 0
    sound = wavfile.read(info)[0]
    assert not sound[:5000].any()
    pieces = [p for p in plan_of(desk, session).pieces if p.track == track]
    raw = wavfile.read(wavfile.inspect(Path(pieces[0].path)))[0]
    assert np.abs(sound[6000:9000] - raw[6000:9000] * 10 ** (-6 / 20)).max() < 2.0 ** -22


def test_all_begin_and_end_together_and_nothing_is_written_over(
    desk: Desk, tmp_path: Path
) -> None:
    session = make_takes(desk)
    track = rows_of(desk, session)[0].id
    cutting.erase(desk, session, track, 0, 5000)
    plan = plan_of(desk, session)
    done = comp.write_plan(plan, tmp_path / "out", as_it_lies=True)
    assert {f.track: (f.start, f.samples) for f in done.files} == dict.fromkeys(
        ("Dulcimer left", "Frame drum"), (0, plan.pieces[-1].start + plan.pieces[-1].samples)
    )
    assert done.files[0].plain()["kind"] == "comp"
    cutting.erase(desk, session, rows_of(desk, session)[5].id, 0, 7000)
    done = comp.write_plan(plan_of(desk, session), tmp_path / "later", as_it_lies=True)
    assert {wavfile.inspect(f.path).start for f in done.files} == {5000}
    with pytest.raises(Refusal, match="is there already"):
        comp.write_plan(plan, tmp_path / "out")
    with pytest.raises(Refusal, match="There is no track"):
        comp.write_plan(plan, tmp_path / "other", tracks="Cello 9")
    Path(plan.pieces[0].path).unlink()
    with pytest.raises(Refusal, match="is silent in what was written"):
        comp.write_plan(plan, tmp_path / "gone")


def test_without_anything_in_use_nothing_is_written(desk: Desk) -> None:
    session = demo.load(desk)
    with pytest.raises(NotNow, match="Nothing is in use"):
        writing.begin(desk, session, as_it_lies=False)


def test_sound_before_the_timeline_is_in_all_files_and_their_stamps_say_from_where(tmp_path: Path) -> None:
    path = tmp_path / "take.wav"
    made = bwf.BwfWriter(path, bwf.Format(48_000, 1, 24), ORIGIN)
    made.write(np.full((1, 96_000), 0.25, np.float32))
    made.close()
    pieces = (Piece(1, 1, str(path), -31_200, 96_000, 0), Piece(2, 2, str(path), 0, 48_000, 0))
    wanted = writtenout.in_use([(1, "A", 1), (2, "B", 1)], ["a", "b"], pieces, 0, False)
    files = [writtenout.write(w, tmp_path, "Song", 48_000, 24) for w in wanted]
    assert [(f.start, f.samples) for f in files] == [(-31_200, 96_000)] * 2
    sounds = [wavfile.read(wavfile.inspect(f.path))[0] for f in files]
    assert np.flatnonzero(sounds[1])[0] == 31_200
    assert "begins 0.650 s before 0 of the timeline" in path.with_name("b.wav").read_bytes().decode("latin-1")


@pytest.mark.parametrize("bits", [16, 24])
def test_what_was_not_changed_is_not_changed_and_what_was_is_dithered(tmp_path: Path, bits: int) -> None:
    rng, rate = np.random.default_rng(4), 48_000
    words = rng.integers(-(2 ** (bits - 1)), 2 ** (bits - 1), (1, rate)) / 2 ** (bits - 1)
    soft = np.full((1, rate), 0.3 / 2 ** (bits - 1))
    for name, sound, depth in (("words", words, bits), ("soft", soft, 32)):
        made = bwf.BwfWriter(tmp_path / f"{name}.wav", bwf.Format(rate, 1, depth), ORIGIN)
        made.write(sound.astype(np.float32))
        made.close()
    pieces = (Piece(1, 1, str(tmp_path / "words.wav"), 0, rate, 0), Piece(2, 1, str(tmp_path / "soft.wav"), 2 * rate, rate, 0))
    (wanted,) = writtenout.in_use([(1, "A", 1)], ["a"], pieces, 0, False)
    got = wavfile.read(wavfile.inspect(writtenout.write(wanted, tmp_path, "Song", rate, bits).path))[0]
    assert np.array_equal(got[:rate], words[0].astype(np.float32)), "to the bit"
    assert not got[rate : 2 * rate].any(), "silence is silence"
    dithered = got[2 * rate :] * 2 ** (bits - 1)
    assert set(np.unique(dithered)) <= {-1.0, 0.0, 1.0}
    assert dithered.mean() == pytest.approx(0.3, abs=0.02)
    assert dithered.var() == pytest.approx(0.25, abs=0.01), "triangular: its power does not depend on the sound"

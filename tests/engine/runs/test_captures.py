"""Passes of a loop, punches and pre-roll: every sample once, where it belongs."""

from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

from cattailer.core.errors import NotNow
from cattailer.core.takes.course import ROLLS, Course
from cattailer.core.transport import CAPTURING, POST_ROLL, PRE_ROLL, ROLLING, STOPPED, WAITING
from cattailer.engine.block.engine import Engine
from cattailer.engine.offline import run_inline
from cattailer.engine.runs.joining import join
from cattailer.media.disk import RealDisk
from cattailer.media.journal import RunFile
from tests.helpers.plans import run_for
from tests.helpers.ramp import capture, held, ramp, settle, stories


class Full(RealDisk):
    """Refuses new folders while it is ``full``."""

    full = False

    def make_folder(self, path: Path) -> None:
        if self.full:
            raise OSError(28, "No space left on device")
        super().make_folder(path)


@pytest.mark.parametrize(("period", "passes"), [(32, 40), (128, 200), (1024, 40)])
def test_two_hundred_passes_neither_lose_nor_double_a_sample(tmp_path: Path, period: int, passes: int) -> None:
    engine, length = ramp(period), 24_001
    run_for(engine, 5000)
    capture(engine, tmp_path, Course(start=48_000, until=48_000 + length, loops=True, passes=passes))
    settle(engine)
    runs = stories(tmp_path)
    assert [r.header.pass_number for r in runs] == list(range(1, passes + 1))
    assert [r.header.number for r in runs] == list(range(1, passes + 1))
    assert {r.header.roll for r in runs} == {"run-a"}
    assert {(r.header.start, r.samples) for r in runs} == {(48_000, length)}
    sounds = [held(r) for r in runs]
    for sound in sounds:
        assert (np.diff(sound) % (1 << 22) == 1).all()
    for one, other in pairwise(sounds):
        assert (other[0] - one[-1]) % (1 << 22) == 1


def test_stopped_while_the_next_files_are_not_open_yet_nothing_is_lost(tmp_path: Path) -> None:
    """The disk was slow: the third pass had begun, and nobody had opened its files."""
    engine = ramp()
    made = capture(engine, tmp_path, Course(start=0, until=30_000, loops=True))
    run_for(engine, 35_000)
    inner = made.pump
    made.pump = lambda: None  # type: ignore[method-assign]
    run_for(engine, 100_000)
    engine.soon(engine.stop)
    run_for(engine, 5_000)
    made.pump = inner  # type: ignore[method-assign]
    settle(engine)
    runs = stories(tmp_path)
    sound = np.concatenate([held(r) for r in runs])
    assert len(runs) == 5
    assert (np.diff(sound) == 1).all()
    assert len(sound) > 130_000


def states_of(engine: Engine) -> list[str]:
    """What the transport does in turn, until it rests."""
    states: list[str] = []

    def watched() -> bool:
        if not states or states[-1] != engine.transport.state:
            states.append(engine.transport.state)
        return engine.busy or bool(engine.courses)

    run_for(engine, 256)
    run_inline(engine, watched)
    settle(engine)
    return states


def test_a_punch_with_pre_and_post_roll_keeps_both_sides(tmp_path: Path) -> None:
    engine = ramp()
    run_for(engine, 100_000)
    capture(engine, tmp_path, Course(start=50_000, until=90_000, pre_roll=24_000, post_roll=12_000, joins=True))
    states = states_of(engine)
    assert states == [PRE_ROLL, CAPTURING, POST_ROLL, STOPPED]
    (run,) = stories(tmp_path)
    sound, before, after = held(run), held(run, "head"), held(run, "tail")
    assert (run.header.start, len(sound), len(before), len(after)) == (50_000, 40_000, 48_000, 48_000)
    assert (np.diff(np.concatenate([before, sound, after])) == 1).all()
    assert engine.transport.position == 50_000


def test_several_punches_by_hand_in_one_roll(tmp_path: Path) -> None:
    engine = ramp()
    engine.soon(engine.roll)
    places = []
    for n in range(3):
        run_for(engine, 60_000)
        places.append(engine.transport.position)
        made = capture(engine, tmp_path / str(n), Course(joins=True))
        run_for(engine, 20_000)
        assert engine.transport.state == CAPTURING
        engine.soon(engine.punch_out)
        run_for(engine, 300)
        assert engine.transport.state == ROLLING
        assert made is engine.courses[-1]
    engine.soon(engine.stop)
    settle(engine)
    trip = engine.late_samples
    for n, place in enumerate(places):
        (run,) = stories(tmp_path / str(n))
        sound, before, after = held(run), held(run, "head"), held(run, "tail")
        assert run.header.start == place
        assert sound[0] == place + trip, "what is heard at a place comes in one round trip later"
        assert (np.diff(np.concatenate([before, sound, after])) == 1).all()


def test_what_waits_can_be_called_off(tmp_path: Path) -> None:
    engine = ramp()
    capture(engine, tmp_path, Course(begin=ROLLS, joins=True))
    run_for(engine, 50_000)
    engine.soon(engine.stop)
    settle(engine)
    assert not list(tmp_path.rglob("*.wav"))
    assert not list(tmp_path.rglob("*.jsonl"))


def test_passes_with_a_pause_are_each_counted_in(tmp_path: Path) -> None:
    engine = ramp()
    course = Course(start=20_000, until=60_000, loops=True, passes=3, pause=48_000, pre_roll=4_800)
    capture(engine, tmp_path, course, count_bars=1)
    states = states_of(engine)
    runs = stories(tmp_path)
    assert [(r.header.start, r.samples, r.header.pass_number) for r in runs] == [(20_000, 40_000, n) for n in (1, 2, 3)]
    once = ["counting", PRE_ROLL, CAPTURING]
    assert states == [*once, WAITING, *once, WAITING, *once, STOPPED]
    for run in runs:
        assert (np.diff(held(run)) == 1).all()


def test_a_disk_that_refuses_the_next_pass_ends_the_capture_and_keeps_what_was_captured(tmp_path: Path) -> None:
    disk = Full()
    engine = ramp(disk=disk)
    capture(engine, tmp_path, Course(start=0, until=48_000, loops=True))
    run_for(engine, 60_000)
    disk.full = True
    run_for(engine, 60 * 48_000)
    settle(engine)
    runs = stories(tmp_path)
    assert [r.samples for r in runs] == [48_000] * 3, "the third was open by then"
    said = [str(e["message"]) for e in engine.events if e.get("kind") == "halt"]
    assert len(said) == 1
    assert "next" in said[0]


def test_a_dropout_at_a_seam_is_marked_in_both_passes(tmp_path: Path) -> None:
    """The timeline goes on, so what follows is no later."""
    engine = ramp(losses={200: 2_000})  # samples 25600 to 27600 never come
    capture(engine, tmp_path, Course(start=0, until=26_000, loops=True, passes=3))
    settle(engine)
    trip = engine.late_samples
    runs = stories(tmp_path)
    assert [r.samples for r in runs] == [26_000] * 3
    assert [(d.offset, d.samples) for d in runs[0].dropouts] == [(25_600 - trip, 26_000 - 25_600 + trip)]
    assert [(d.offset, d.samples) for d in runs[1].dropouts] == [(0, 27_600 - 26_000 - trip)]
    assert not runs[2].dropouts
    assert held(runs[1])[-1] == 52_000 + trip - 1


def test_a_name_that_is_taken_is_passed_over(tmp_path: Path) -> None:
    engine = ramp()
    (tmp_path / "run-002").mkdir()
    (tmp_path / "run-002" / "run-002.journal.jsonl").write_text("")
    capture(engine, tmp_path, Course(start=0, until=30_000, loops=True, passes=2))
    settle(engine)
    (tmp_path / "run-002" / "run-002.journal.jsonl").unlink()
    runs = stories(tmp_path)
    assert [(r.header.number, r.header.pass_number) for r in runs] == [(1, 1), (3, 2)]


def test_moved_between_the_press_and_the_beginning_it_is_refused(tmp_path: Path) -> None:
    engine = ramp()
    made = capture(engine, tmp_path, Course())
    engine._requests._asked.clear()
    engine.transport.position = 4_000
    with pytest.raises(NotNow, match="moved"):
        made.begin()
    made.take_away()
    assert not list(tmp_path.rglob("*.wav"))


@pytest.mark.parametrize("late", [20_000, 60 * 48_000])
def test_a_track_that_is_armed_in_mid_run_is_captured_from_its_beginning_if_that_is_held(
    tmp_path: Path, late: int
) -> None:
    engine = ramp()
    made = capture(engine, tmp_path, Course())
    run_for(engine, late)
    oldest = engine.ring.oldest
    join(made, [RunFile(2, "Two", "x.wav", 1, (1,))])
    join(made, [RunFile(2, "Two", "x.wav", 1, (1,))])
    run_for(engine, 30_000)
    engine.soon(engine.stop)
    settle(engine)
    joined, run = stories(tmp_path)
    assert joined.header.joins == run.header.run
    sound, other = held(run), held(joined)
    assert (np.diff(other) % (1 << 22) == 1).all()
    assert other[-1] == sound[-1]
    assert joined.header.start == run.header.start + len(sound) - len(other)
    if late == 20_000:
        assert len(other) == len(sound)
    else:
        assert oldest < other[0] - other[0] % 1 + (1 << 22) * (oldest // (1 << 22)) < oldest + 4 * 48_000


def test_armed_in_a_loop_it_is_in_all_passes_that_follow(tmp_path: Path) -> None:
    engine = ramp()
    made = capture(engine, tmp_path, Course(start=0, until=40_000, loops=True, passes=4))
    run_for(engine, 50_000)
    join(made, [RunFile(2, "Two", "x.wav", 1, (1,))])
    settle(engine)
    found = stories(tmp_path)
    whole = [r.header for r in found if not r.header.joins]
    assert [(h.pass_number, len(h.files)) for h in whole] == [(1, 1), (2, 1), (3, 1), (4, 2)]
    late = [r for r in found if r.header.joins]
    assert [(r.header.pass_number, r.samples) for r in late] == [(2, 40_000), (3, 40_000)]
    third = next(r for r in found if r.header.pass_number == 3 and not r.header.joins)
    assert (held(late[1]) == held(third)).all()

"""Captures that sound begins, to the sample."""

from pathlib import Path

import numpy as np
import pytest

from cattailer.core.takes.course import SOUND, SOUNDS, Course
from cattailer.core.transport import CAPTURING, PRE_ROLL, ROLLING, STOPPED, WAITING
from tests.helpers.plans import run_for
from tests.helpers.ramp import capture, held, ramp, settle, stories

QUIET, LOUD = 1000, 4_000_000
"""Of 24 bits."""


def bursts(*stretches: tuple[int, int]):  # type: ignore[no-untyped-def]
    """Soft counting, and loud counting within stretches: the low digits say which sample it is."""
    def shape(at: np.ndarray) -> np.ndarray:
        loud = np.zeros(len(at), bool)
        for first, stop in stretches:
            loud |= (at >= first) & (at < stop)
        return np.where(loud, LOUD + at % 1_000_000, at % QUIET) / float(1 << 23)

    return shape


@pytest.mark.parametrize("period", [32, 128, 1024])
def test_it_begins_before_the_first_sample_above_the_threshold_by_the_time_asked(tmp_path: Path, period: int) -> None:
    first = 100_037
    engine = ramp(period, shape=bursts((first, first + 30_000)))
    engine.transport.position = engine.transport.origin = 7_000
    run_for(engine, 20_000)
    capture(engine, tmp_path, Course(begin=SOUND, threshold=0.1, before=2_400))
    run_for(engine, 70_000)
    assert engine.transport.state == WAITING
    run_for(engine, 60_000)
    assert engine.transport.state == CAPTURING
    engine.soon(engine.stop)
    settle(engine)
    (run,) = stories(tmp_path)
    sound = held(run)
    assert run.header.start == 7_000
    assert np.argmax(sound >= LOUD) == 2_400
    assert sound[2_400] == LOUD + first % 1_000_000
    assert sound[0] == (first - 2_400) % QUIET


def test_what_is_played_later_comes_in_where_it_belongs(tmp_path: Path) -> None:
    """The timeline is where it would be if it had begun with the first sample that is kept, one round trip before it."""
    first = 60_000
    engine = ramp(shape=bursts((first, first + 200_000)))
    capture(engine, tmp_path, Course(begin=SOUND, threshold=0.1, before=1_000))
    run_for(engine, 100_000)
    assert engine.transport.position - engine.ring.written == engine.late_samples - (first - 1_000)
    engine.soon(engine.stop)
    settle(engine)


def test_only_while_there_is_sound_each_stretch_is_a_take_where_it_was(tmp_path: Path) -> None:
    stretches = ((50_000, 80_000), (90_000, 91_000), (150_000, 170_001), (400_000, 430_000))
    engine = ramp(shape=bursts(*stretches))
    course = Course(begin=SOUNDS, threshold=0.1, before=2_000, gap=24_000, tail=6_000)
    capture(engine, tmp_path, course)
    run_for(engine, 130_000)
    assert engine.transport.state == PRE_ROLL
    run_for(engine, 380_000)
    engine.soon(engine.stop)
    settle(engine)
    runs = stories(tmp_path)
    begins = [50_000 - 2_000, 150_000 - 2_000, 400_000 - 2_000]
    ends = [91_000 + 6_000, 170_001 + 6_000, 430_000 + 6_000]
    assert [(r.header.start, r.samples) for r in runs] == [
        (first - begins[0], stop - first) for first, stop in zip(begins, ends, strict=True)
    ]
    assert [r.header.pass_number for r in runs] == [1, 2, 3]
    for run, first in zip(runs, begins, strict=True):
        sound = held(run)
        assert sound[0] == first % QUIET
        assert np.argmax(sound >= LOUD) == 2_000


def test_while_rolling_it_stands_until_sound_comes(tmp_path: Path) -> None:
    engine = ramp(shape=bursts((90_000, 95_000)))
    engine.soon(engine.roll)
    run_for(engine, 30_000)
    assert engine.transport.state == ROLLING
    place = engine.transport.position
    capture(engine, tmp_path, Course(begin=SOUND, threshold=0.1))
    run_for(engine, 20_000)
    assert engine.transport.state == WAITING
    run_for(engine, 60_000)
    engine.soon(engine.stop)
    settle(engine)
    (run,) = stories(tmp_path)
    assert (run.header.start, engine.transport.state) == (place, STOPPED)
    assert held(run)[0] == LOUD + 90_000


@pytest.mark.parametrize("period", [32, 512, 1024])
def test_at_most_is_at_most_of_all_stretches_together(tmp_path: Path, period: int) -> None:
    engine = ramp(period, shape=bursts((50_000, 60_000), (100_000, 110_000), (150_000, 190_000)))
    capture(engine, tmp_path, Course(begin=SOUNDS, threshold=0.1, before=100, limit=33_333, gap=12_000, tail=3_000))
    run_for(engine, 300_000)
    assert engine.transport.state == STOPPED
    settle(engine)
    assert [r.samples for r in stories(tmp_path)] == [13_100, 13_100, 33_333 - 26_200]

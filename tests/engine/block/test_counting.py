"""Counting in: exact on the grid, nothing captured is heard meanwhile, and what was counted in is kept."""

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from cattailer.core.time.counting import count_in
from cattailer.core.time.timeline import Meter, Tempo, TempoMap
from cattailer.engine.block.engine import Engine
from cattailer.engine.offline import run_inline
from cattailer.engine.runs.making import make_count, make_lead_in
from cattailer.engine.writing.runwriter import RunWriter
from tests.helpers.plans import LOOP, opened, plan_of, run_for, sound, start

WAIT = 5000


def capture_counted(engine: Engine, out: Path, bars: int, samples: int) -> RunWriter:
    """Captures ``samples`` after a count-in; returns the run."""
    run = opened(engine, out)
    count = make_count(engine, bars)
    assert count is not None
    lead_in = make_lead_in(engine, run, count.lead)
    engine.soon(lambda: engine.begin_run(run, samples, count, lead_in))
    run_inline(engine, lambda: not run.done)
    return run


@pytest.mark.parametrize(("period", "bar", "after"), [(32, 1, 0), (128, 5, 0), (1024, 5, 0), (128, 5, 17_003)])
def test_counted_in_anywhere(tmp_path: Path, period: int, bar: int, after: int) -> None:
    """The count is exact in the lead-in, the take begins where it was asked to, and the click goes on in it."""
    engine = start(plan_of(LOOP, click=True, period=period), cables=((0, 12),))
    tempo = engine.plan.tempo
    place = tempo.sample_of(bar) + after
    engine.transport.locate(place, 48000)
    run_for(engine, WAIT)
    run = capture_counted(engine, tmp_path, 2, 150_000)
    count = count_in(tempo, place, 2)
    lead_in, take = np.abs(sound(tmp_path / "head", "Loop")[0]), np.abs(sound(tmp_path, "Loop")[0])
    assert take.size == 150_000
    assert run.story is not None
    assert run.story.header.start == place
    lead = lead_in.size
    assert lead >= count.samples
    assert lead - count.samples < period
    assert lead % period == 0
    counted = list(count.grid.beats_between(count.start, count.stop))
    assert len(counted) == 6 + (1 if after else 0)
    joined = np.concatenate([lead_in, take])
    expected = [b.sample for b in counted] + [b.sample for b in tempo.beats_between(place, place + 149_000)]
    for sample in expected:
        at = sample - (place - lead)
        near = joined[max(0, at - 3000) : at + 400]
        assert near.argmax() + max(0, at - 3000) == at
    assert lead_in[: lead - count.samples].max() < 1e-3


def test_the_count_has_the_tempo_of_what_follows() -> None:
    """A slower section just before does not reach into the count; counting has no grid to be off from."""
    tempo = TempoMap(48000, (Tempo(Fraction(0), Fraction(60)), Tempo(Fraction(16), Fraction(150))),
                     (Meter(1, 4, 4), Meter(5, 5, 4)))
    counted = count_in(tempo, tempo.sample_of(5), 3)
    assert counted.samples == 15 * 60 * 48000 // 150
    assert [b.beat for b in counted.grid.beats_between(counted.start, counted.stop)] == [1, 2, 3, 4, 5] * 3
    assert counted.words(counted.start) == "in 3 bars · beat 1 of 5"
    assert counted.words(counted.stop - 1) == "in 1 bar · beat 5 of 5"
    for wrong in (0, -1, 17):
        with pytest.raises(ValueError, match="1 to 16 bars"):
            count_in(tempo, 0, wrong)


def test_a_dropout_in_the_count_moves_nothing(tmp_path: Path) -> None:
    engine = start(plan_of(LOOP, click=True), cables=((0, 12),), losses={WAIT + 60_000: 777})
    run_for(engine, WAIT)
    run = capture_counted(engine, tmp_path, 2, 100_000)
    take = np.abs(sound(tmp_path, "Loop")[0])
    for beat in engine.plan.tempo.beats_between(0, 95_000):
        assert take[max(0, beat.sample - 2000) : beat.sample + 400].argmax() == min(2000, beat.sample)
    assert run.story is not None
    assert not run.story.dropouts

"""Rolling goes round in a range: takes, click and players, to the sample and whatever the block size."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cattailer.core.plan import Plan
from cattailer.core.takes.pieces import Piece
from cattailer.engine.block.transport import Transport
from cattailer.engine.offline import run_inline
from cattailer.media import bwf
from cattailer.services.session import demo
from tests.helpers.plans import LATE, LOOP, ORIGIN, opened, plan_of, run_for, sound, start


def rolled(plan: Plan, first: int) -> tuple[np.ndarray, int]:
    """The main mix of 130,000 samples from ``first`` on, and how many passes they were."""
    engine = start(plan)
    engine.transport.locate(first, 48000)
    engine.pump()
    run_for(engine, 4096)
    began = engine.sample
    engine.soon(engine.roll)
    run_for(engine, 130_000 + LATE)
    heard = engine.mix_of(0, began + LATE, began + LATE + 130_000)
    assert heard is not None
    return heard, engine.transport.passes


@pytest.mark.parametrize(("period", "length"), [(32, 20_011), (128, 48_000), (1024, 31_307), (1024, 1030)])
def test_takes_and_click_go_round_exactly(tmp_path: Path, period: int, length: int) -> None:
    path = tmp_path / "ramp.wav"
    made = bwf.BwfWriter(path, bwf.Format(48000, 1, 32), ORIGIN)
    made.write(np.arange(200_000, dtype=np.float32)[None] / 1e6)
    made.close()
    track = replace(LOOP, armed=False, fader_db=0.0, pan=-1.0)
    first = 60_003
    plan = plan_of(track, main_db=0.0, click=False, period=period, loop=(first, first + length),
                   pieces=(Piece(1, 99, str(path), 0, 200_000, 0),))
    heard, passes = rolled(plan, first)
    expected = (first + np.arange(130_000) % length).astype(np.float32) / np.float32(1e6)
    # Where it goes round, and where rolling begins, what sounds goes and comes within 3 ms; the live input, within 50.
    place = np.arange(130_000) % length
    inside = (place >= 144) & (place < length - 144) & (np.arange(130_000) >= 2400)
    assert np.abs(heard[0] - expected)[inside].max(initial=0.0) < 1e-6
    assert np.abs(np.diff(heard[0])).max() < 0.002, "nothing steps"
    assert passes in (1 + 130_000 // length, 1 + (130_000 + period) // length)

    clicked, _ = rolled(plan_of(LOOP, click=True, period=period, loop=(first, first + length)), first)
    beats = [b.sample - first for b in plan.tempo.beats_between(first, first + length)]
    due = [n * length + b for n in range(130_000 // length + 1) for b in beats if n * length + b < 129_000]
    loud = np.abs(clicked[0])
    onsets = [int(n) for n in np.flatnonzero(loud[:129_000] > 0.05) if loud[max(0, n - 900) : n].max(initial=0.0) < 0.01]
    assert onsets == due


@given(st.integers(1, 4000), st.integers(1, 3000), st.lists(st.integers(1, 2000), min_size=1, max_size=30), st.integers(0, 5000))
@settings(max_examples=200)
def test_stretches_follow_one_another(start_at: int, length: int, blocks: list[int], position: int) -> None:
    """Whatever the blocks, a loop is a position that counts on and comes round."""
    one = Transport(state="rolling", position=position, loop=(start_at, start_at + length))
    expected = position
    for count in blocks:
        stretches = one.stretches(count)
        assert sum(n for _, _, n in stretches) == count
        for done, at, n in stretches:
            assert at == expected
            assert done == sum(m for d, _, m in stretches if d < done)
            expected = at + n
            if expected == start_at + length and position < start_at + length:
                expected = start_at
        one.advance(stretches)
        assert one.position == expected


def test_capturing_out_of_a_loop_loses_nothing(tmp_path: Path) -> None:
    """Pressed just before the range ends: files are opened while time passes, yet the take begins where it was pressed."""
    tempo = demo.plan(False).tempo
    first, stop = tempo.sample_of(3), tempo.sample_of(4)
    engine = start(plan_of(LOOP, click=True, loop=(first, stop)), cables=((0, 12),))
    engine.transport.locate(first, 48000)
    run_for(engine, 5000)
    engine.soon(engine.roll)
    run_for(engine, stop - first - 600)
    _, at = engine.stands(leaves_loop=True)
    run = opened(engine, tmp_path)
    assert run.header.start == at < stop
    run_for(engine, 2000)
    engine.soon(lambda: engine.begin_run(run, 60_000))
    run_inline(engine, lambda: not run.done)
    take = np.abs(sound(tmp_path, "Loop")[0])
    for beat in tempo.beats_between(at, at + 55_000):
        near = take[max(0, beat.sample - at - 2000) : beat.sample - at + 400]
        assert near.argmax() == min(2000, beat.sample - at)
    run_for(engine, 256)
    assert engine.transport.loop == (first, stop)

"""Sound from inside the engine, to the sample: pattern player, groups as inputs, cue mixes, muting."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from cattailer.core.plan import NOTHING, SOFTWARE_CHANNELS, GroupPlan, MixPlan, TrackPlan
from cattailer.core.takes.pieces import Piece
from cattailer.core.time.timeline import Meter, Tempo, TempoMap
from tests.helpers.plans import LATE, begin, finish, plan_of, player, run_for, sound, start

BEAT, BASS = 16, 18
TAP = 16 + SOFTWARE_CHANNELS
QUIET = -200.0


def test_patterns_begin_on_the_beat_through_tempo_changes() -> None:
    tempo = TempoMap(48000, (Tempo(Fraction(0), Fraction(92)), Tempo(Fraction(6), Fraction(140))), (Meter(1, 3, 4), Meter(4, 5, 8)))
    beat = player(tempo, 0, 48000 * 8)[0]
    for each in tempo.beats_between(0, 48000 * 7):
        assert not np.isclose(beat[each.sample], beat[each.sample - 1] if each.sample else 0.0, atol=0.02), each
    quiet = tempo.sample_of(2) - 40
    assert abs(beat[quiet : quiet + 39]).max() < 0.02


@pytest.mark.parametrize("block", [64, 1000, 4093])
def test_patterns_are_the_same_whatever_the_block_and_wherever_one_starts(block: int) -> None:
    tempo = TempoMap(48000, (Tempo(Fraction(0), Fraction(92)),), (Meter(1, 3, 4),))
    whole = player(tempo, 0, 48000 * 6)
    assert np.allclose(player(tempo, 48000 * 2, 48000 * 3, block), whole[:, 48000 * 2 : 48000 * 5], atol=1e-7)


@pytest.mark.parametrize("period", [32, 128, 1024])
def test_a_software_source_is_captured_where_it_sounds(tmp_path: Path, period: int) -> None:
    """Not shifted by the round trip, though hardware beside it is."""
    tracks = (TrackPlan(1, "Beat", (BEAT, BEAT + 1), True, QUIET), TrackPlan(2, "Loop", (12,), True, QUIET),
              TrackPlan(3, "Empty", (NOTHING,), True, QUIET))
    plan = plan_of(*tracks, period=period, click=True)
    engine = start(plan, cables=((0, 12),))
    run_for(engine, 4 * period)
    run = begin(engine, tmp_path)
    run_for(engine, 48000 * 4)
    story = finish(engine, run)
    want = player(plan.tempo, 0, story.samples)
    assert np.array_equal(sound(tmp_path, "Beat"), np.round(want[:2] * 2**23).astype(np.float32) / np.float32(2**23))
    loop = np.abs(sound(tmp_path, "Loop")[0])
    second = next(b.sample for b in plan.tempo.beats_between(1000, 200_000))
    assert abs(int(loop[second - 300 : second + 300].argmax()) - 300) <= 1
    assert not sound(tmp_path, "Empty").any()


def test_a_group_is_captured_in_time_with_what_it_sums(tmp_path: Path) -> None:
    """Live input, an old take and a software source meet in one group; its capture is their sum."""
    first = plan_of(TrackPlan(1, "Cello", (2,), True, QUIET), TrackPlan(2, "Bass", (BASS, BASS + 1), True, QUIET))
    engine = start(first)
    run = begin(engine, tmp_path)
    run_for(engine, 48000)
    finish(engine, run)
    old = tmp_path / "Cello.wav"
    tracks = (
        TrackPlan(1, "Cello", (2,), False, 0.0, -1.0), TrackPlan(3, "Drum", (5,), True, 0.0, 1.0),
        TrackPlan(2, "Bass", (BASS, BASS + 1), False, 0.0), TrackPlan(4, "Sum", (TAP, TAP + 1), True, 0.0),
    )
    plan = plan_of(
        *tracks, groups=(GroupPlan(1, "G", -6.0),), feeders=(1,), mixes=(MixPlan(1, "Main", (0, 1), 0.0),),
        routes=(("track:1", "group:1"), ("track:3", "group:1"), ("track:2", "group:1"), ("group:1", "mix:1")),
        pieces=(Piece(1, 1, str(old), 0, 40_000, 0),),
    )
    out = tmp_path / "two"
    engine = start(plan)
    run = begin(engine, out)
    run_for(engine, 36_000)
    story = finish(engine, run)
    count = min(story.samples, 36_000)
    summed, drum = sound(out, "Sum")[:, :count], sound(out, "Drum")[0, :count]
    bass = player(plan.tempo, 0, story.samples)[2:4, :count]
    cello = sound(tmp_path, "Cello")[0, :count]
    # Where the old take begins it fades in for 2 ms.
    assert np.abs(summed[0] - (cello + bass[0]))[96:].max() < 2e-6
    assert np.abs(summed[1] - (drum + bass[1])).max() < 2e-6
    assert drum.any()


def test_mixes_go_to_their_outputs_and_browsers_hear_the_main_mix() -> None:
    tracks = (TrackPlan(1, "A", (2,), True, 0.0, -1.0), TrackPlan(2, "B", (5,), True, 0.0, -1.0))
    plan = plan_of(
        *tracks, mixes=(MixPlan(1, "Main", (2, 3), 0.0), MixPlan(2, "Cue", (6, 7), 0.0), MixPlan(3, "Nowhere", (), 0.0)),
        routes=(("track:1", "mix:1"), ("track:2", "mix:2"), ("track:2", "mix:3")),
    )
    engine = start(plan)
    seen: list[tuple[np.ndarray, np.ndarray]] = []
    process = engine.process

    def watch(inputs, outputs, sample, lost):  # type: ignore[no-untyped-def]
        answer = process(inputs, outputs, sample, lost)
        seen.append((inputs.copy(), outputs.copy()))
        return answer

    engine.process = watch  # type: ignore[method-assign]
    run_for(engine, 48000)
    inputs, outputs = (np.concatenate([s[n] for s in seen], axis=1) for n in (0, 1))
    assert np.allclose(outputs[2, LATE:], np.clip(inputs[2, :-LATE], -1, 1), atol=1e-6)
    assert np.allclose(outputs[6, LATE:], np.clip(inputs[5, :-LATE], -1, 1), atol=1e-6)
    assert not outputs[[0, 1, 4, 5, 8, 9, 10, 11]].any()
    mix = engine.mix_of(0, 0, 48000)
    assert mix is not None
    assert np.array_equal(mix, outputs[2:4, :48000])


def test_monitors_are_silent_while_48_v_settles_and_inputs_are_not() -> None:
    plan = plan_of(TrackPlan(1, "A", (2,), True, 0.0))
    engine = start(plan)
    run_for(engine, 4800)
    preamps = replace(plan.preamps, phantom=tuple(not p if n == 6 else p for n, p in enumerate(plan.preamps.phantom)))
    engine.soon(engine.set_plan(replace(plan, preamps=preamps)))
    run_for(engine, 128)
    begun = engine.sample - 128
    assert engine.muted
    run_for(engine, 48000 * 2)
    mix, heard = engine.mix_of(0, begun, begun + 90_000), engine.ring.read(begun, begun + 90_000)
    assert mix is not None
    assert heard is not None
    assert not mix[:, 144 : 72_000 - 128].any()
    assert mix[:, 72_128:].any()
    back = 72_000 + 2400
    straight = heard[2, back - LATE : back - LATE + 5000] * np.float32(np.sqrt(0.5) * 10 ** (-6 / 20))
    assert np.abs(mix[0, back : back + 5000] - straight).max() < 1e-6
    assert heard[2, :72_000].any()
    assert not engine.muted

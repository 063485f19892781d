"""Guide notes: for ears only, exact on the timeline, and never a click."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cattailer.core.notes.guide import Guide, guides_of, hz_of
from cattailer.core.plan import MixPlan, TrackPlan
from cattailer.core.time.timeline import TempoMap
from cattailer.engine.block.engine import Engine
from cattailer.engine.sources.guide import GuideNotes, Keyboard, Tone
from tests.helpers.plans import LATE, Nobody, plan_of

RATE = 48_000
CHORD = Guide(2, 1, 2.0, (57, 60, 64))


def start(period: int = 128, **changes: object) -> Engine:
    plan = plan_of(TrackPlan(1, "A", (0,), True), period=period, main_db=0.0)
    mixes = (*plan.mixes, MixPlan(2, "Cue", (2, 3), 0.0))
    plan = replace(plan, mixes=mixes, guides=(CHORD,), click=False, **changes)  # type: ignore[arg-type]
    return Engine(Nobody(plan), plan)


def run(engine: Engine, samples: int) -> np.ndarray:
    """The main mix and the cue mix, (4, samples)."""
    plan, period, made = engine.plan, engine.plan.period, []
    inputs, outputs = np.zeros((plan.inputs, period), np.float32), np.zeros((plan.outputs, period), np.float32)
    for _ in range(samples // period):
        engine.process(inputs, outputs, engine.sample, 0)
        made.append(outputs[:4].copy())
    return np.concatenate(made, axis=1)


def stepped(sound: np.ndarray) -> float:
    """The largest bend from sample to sample: a step stands out from tones below 6 kHz."""
    return float(np.abs(np.diff(sound, 3)).max())


@pytest.mark.parametrize("period", [32, 1024])
def test_a_chord_on_the_timeline_is_in_cue_mixes_only_and_where_it_stands(period: int) -> None:
    engine = start(period)
    first, stop = CHORD.span(engine.plan.tempo)
    engine.soon(engine.roll)
    out = run(engine, stop + RATE // 2)[:, LATE:]
    assert not out[:2].any(), "not in the main mix"
    alone = np.zeros(out.shape[1], np.float32)
    GuideNotes([CHORD], engine.plan.tempo, 440.0).add(alone, 0)
    assert np.abs(out[2] - alone).max() < 1e-6
    assert not alone[: first + 1].any()
    assert not alone[stop + RATE // 5 :].any()
    spectrum = np.abs(np.fft.rfft(alone[first : first + RATE // 2] * np.hanning(RATE // 2)))
    for pitch in CHORD.pitches:
        assert spectrum[round(hz_of(pitch) / 2)] > 50.0
    assert not np.asarray(engine.ring.read(0, engine.sample)).any(), "nothing of it is captured"


@given(st.lists(st.integers(1, 700), min_size=1, max_size=40), st.integers(-500, 3000))
@settings(max_examples=60, deadline=None)
def test_what_sounds_does_not_depend_on_the_blocks(cuts: list[int], start_at: int) -> None:
    guides = GuideNotes([Guide(1, 1, 0.1, (60, 72)), Guide(1, 2, 0.02, (50,))], TempoMap(8000), 440.0)
    whole, parts = np.zeros(sum(cuts), np.float32), np.zeros(sum(cuts), np.float32)
    guides.add(whole, start_at)
    done = 0
    for cut in cuts:
        guides.add(parts[done : done + cut], start_at + done)
        done += cut
    assert np.allclose(whole, parts, atol=1e-7)


def test_stopping_jumping_and_taking_it_away_never_steps() -> None:
    smooth = stepped(run(_rolling(), RATE)[2])
    first, _ = CHORD.span(start().plan.tempo)
    for what in ("stop", "locate", "taken away"):
        engine = _rolling()
        out = [run(engine, RATE // 4)]
        if what == "stop":
            engine.soon(engine.stop)
        elif what == "locate":
            engine.soon(lambda e=engine: e.transport.locate(first + 9000, RATE))  # type: ignore[misc]
        else:
            engine.soon(engine.set_plan(replace(engine.plan, guides=())))
        out.append(run(engine, RATE // 2))
        sound = np.concatenate(out, axis=1)[2]
        assert stepped(sound) < 8 * smooth, what
        assert abs(sound[-1]) < 1e-6 or what == "locate"


def _rolling() -> Engine:
    """In the middle of the chord."""
    engine = start()
    first, _ = CHORD.span(engine.plan.tempo)
    engine.transport.locate(first, RATE)
    engine.soon(engine.roll)
    run(engine, 6400)
    return engine


def test_keys_sound_as_long_as_they_are_held_and_no_longer_than_thirty_seconds() -> None:
    engine = start()
    engine.soon(engine.hold_keys([69]))
    assert np.abs(run(engine, RATE // 2)[2]).max() > 0.05
    engine.soon(engine.hold_keys([60, 64]))
    assert np.abs(run(engine, RATE // 2)[2, RATE // 4 :]).max() > 0.05
    engine.soon(engine.hold_keys([]))
    assert not run(engine, RATE // 2)[2, RATE // 4 :].any()
    assert engine.keys.silent
    keys, out = Keyboard(1000), np.zeros(1000, np.float32)
    keys.hold(Tone([69], 0, 0, 1000, 440.0), 0)
    for second in range(33):
        keys.add(out, 1000 * second)
    assert keys.silent, "a key that nobody lets go of"


@pytest.mark.parametrize(("bad", "words"), [
    ({"bar": 0}, "bar 1"), ({"beat": 0}, "bar 1"), ({"beats": 0.0}, "lasts"), ({"beats": 65.0}, "lasts"),
    ({"pitches": ()}, "at least one"), ({"pitches": (20,)}, "goes from C2 to C7"),
    ({"pitches": tuple(range(40, 48))}, "up to 6"),
])
def test_what_cannot_be_a_guide(bad: dict[str, object], words: str) -> None:
    with pytest.raises(ValueError, match=words):
        guides_of([{**CHORD.to_dict(), **bad}])

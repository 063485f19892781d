"""No control clicks: beside a tone of 1 kHz nothing is heard when something changes."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
from scipy.signal import fftconvolve, firwin

from cattailer.core.mix.cells import Cell
from cattailer.core.mix.effects import Compressor, Effects, Equaliser, Reverb
from cattailer.core.mix.listening import Listen
from cattailer.core.plan import GroupPlan, MixPlan, Plan, ReturnPlan, TrackPlan
from cattailer.engine.block.engine import Engine
from tests.helpers.plans import Nobody, plan_of

RATE = 48_000
STRIP = Effects(Equaliser(one_hz=1000.0, one_db=-6.0), Compressor(threshold_db=-20.0, ratio=4.0))
BAND_STOP = firwin(8191, [800, 1250], fs=RATE, pass_zero="bandstop", window=("kaiser", 12.0))


def start(period: int) -> Plan:
    tracks = (TrackPlan(1, "A", (0,), True, 0.0, -1.0), TrackPlan(2, "B", (1,), True, 0.0, 1.0))
    plan = plan_of(*tracks, period=period, main_db=0.0)
    return replace(plan, mixes=(*plan.mixes, MixPlan(2, "Cue", (2, 3), 0.0, False)),
                   routes=(*plan.routes, ("track:1", "mix:2"), ("track:2", "mix:2")))


def beside(sound: np.ndarray, after: int) -> float:
    """The peak in dBFS of what is not near 1 kHz, once the tone has begun."""
    left = fftconvolve(sound, BAND_STOP[None], mode="valid", axes=1)[:, after:]
    return float(20 * np.log10(np.abs(left).max() + 1e-12))


def heard(plan: Plan, change: Callable[[Plan], Plan], again: Callable[[Plan], Plan] | None = None) -> np.ndarray:
    """Both mixes, (4, samples), with a change after a while, and perhaps another one in the middle of its glide."""
    engine = Engine(Nobody(plan), plan)
    tone = (0.5 * np.sin(2 * np.pi * 1000 * np.arange(RATE) / RATE)).astype(np.float32)
    inputs, outputs = np.zeros((plan.inputs, RATE), np.float32), np.zeros((plan.outputs, plan.period), np.float32)
    inputs[:2] = tone
    for at in range(0, RATE - plan.period + 1, plan.period):
        engine.process(inputs[:, at : at + plan.period], outputs, at, 0)
        if at <= 24_000 < at + plan.period:
            engine.soon(engine.set_plan(change(engine.plan)))
        if again is not None and at <= 25_000 < at + plan.period:
            engine.soon(engine.set_plan(again(engine.plan)))
    mixes = [engine.mix_of(n, 0, engine.mixes.written) for n in (0, 1)]
    return np.concatenate(mixes)  # type: ignore[arg-type]


def track(**changes: object) -> Callable[[Plan], Plan]:
    return lambda plan: replace(plan, tracks=(replace(plan.tracks[0], **changes), *plan.tracks[1:]))  # type: ignore[arg-type]


def effects(**changes: object) -> Callable[[Plan], Plan]:
    return track(effects=replace(STRIP, **changes))  # type: ignore[arg-type]


def only_eq(eq: Equaliser) -> Callable[[Plan], Plan]:
    return track(effects=Effects(eq))


CHANGES: dict[str, Callable[[Plan], Plan]] = {
    "fader": track(fader_db=-20.0),
    "fader down": track(fader_db=-120.0),
    "pan": track(pan=0.7),
    "mute": track(muted=True),
    "solo": track(soloed=True),
    "live level": track(live_db=-9.0),
    "listen off": track(listen=Listen(when="off")),
    "raw": track(listen=Listen(point="raw")),
    "disarmed": track(armed=False),
    "cell": lambda p: replace(p, cells=(Cell("track:1", "mix:2", -12.0, 0.5),)),
    "cell muted": lambda p: replace(p, cells=(Cell("track:1", "mix:2", muted=True),)),
    "after the fader": lambda p: replace(track(fader_db=-10.0)(p), mixes=(p.mixes[0], replace(p.mixes[1], after_fader=True))),
    "alone": lambda p: replace(p, alone="track:2"),
    "strip": effects(),
    "group": lambda p: replace(p, groups=(GroupPlan(1, "G", -6.0, effects=STRIP),), routes=(
        ("track:1", "group:1"), ("track:2", "mix:1"), ("group:1", "mix:1"), ("track:2", "mix:2"))),
    "return": lambda p: replace(p, returns=(ReturnPlan(1, "R", -200.0, effects=Effects(reverb=Reverb())),), routes=(
        *p.routes, ("track:1", "return:1"), ("return:1", "mix:1"))),
    "mix": lambda p: replace(p, mixes=(*p.mixes, MixPlan(3, "Other", (), 0.0)), routes=(*p.routes, ("track:1", "mix:3"))),
    "track gone": lambda p: replace(p, tracks=p.tracks[1:]),
}


@pytest.mark.parametrize("period", [32, 1024])
@pytest.mark.parametrize("what", list(CHANGES))
def test_nothing_is_heard_beside_the_tone(what: str, period: int) -> None:
    sound = heard(start(period), CHANGES[what])
    assert beside(sound, 6000) < -80.0
    assert np.abs(sound[:2, 40_000:]).max() > 0.01


STRIP_CHANGES = {
    "off": only_eq(Equaliser(one_hz=1000.0, one_db=-6.0, on=False)), "eq out": track(effects=Effects()),
    "dyn off": effects(dyn=Compressor(on=False)), "makeup": effects(dyn=replace(STRIP.dyn, makeup_db=-8.0)), "taken out": effects(dyn=None),
}


@pytest.mark.parametrize("period", [32, 1024])
@pytest.mark.parametrize("what", list(STRIP_CHANGES))
def test_effects_are_moved_without_a_click(what: str, period: int) -> None:
    """The compressor itself bends a tone a little, so what is there before the change is what may be there; it also answers
    to an equaliser before it, so the equaliser is moved alone."""
    plan = (only_eq(STRIP.eq) if what in ("off", "eq out") else effects())(start(period))  # type: ignore[arg-type]
    still = beside(heard(plan, lambda p: p), 6000)
    assert beside(heard(plan, STRIP_CHANGES[what]), 6000) < max(-80.0, still + 1.0)


def test_changes_in_the_middle_of_each_other() -> None:
    plan = start(128)
    for one, other in (("fader", "pan"), ("fader", "group"), ("group", "fader"), ("strip", "mute"), ("strip", "group")):
        assert beside(heard(plan, CHANGES[one], CHANGES[other]), 6000) < -80.0, (one, other)

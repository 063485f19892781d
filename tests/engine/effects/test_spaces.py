"""Reverbs by their settings: later, without lows, damped; off is silence; and nothing that is moved clicks."""

from dataclasses import replace

import numpy as np
import pytest
from pedalboard import Reverb as Room
from scipy import signal

from cattailer.core.mix.effects import SPACES, Effects, Reverb
from cattailer.core.mix.flow import Insert
from cattailer.core.plan import Plan, ReturnPlan, TrackPlan
from cattailer.engine.block.engine import Engine
from cattailer.engine.effects.spaces import Space
from tests.helpers.plans import Nobody, plan_of

RATE = 48_000


def space(reverb: Reverb, period: int = 64) -> Space:
    return Space(Insert("a", 0, 2, Effects(reverb=reverb)), 0, RATE, period)


def sounds(sent: np.ndarray, *asked: Reverb, period: int = 64, at: int = RATE) -> np.ndarray:
    """The left side of what a mono signal becomes; what is asked for comes after ``at`` samples, a second apart."""
    made, out = space(asked[0], period), np.stack([sent, sent]).astype(np.float32)
    waiting = list(asked[1:])
    for start in range(0, out.shape[1], period):
        if waiting and start >= at + RATE * (len(asked) - 1 - len(waiting)):
            made.ask(waiting.pop(0))
        made.process(out[:, start : start + period])
    return out[0].astype(np.float64)


def struck(reverb: Reverb, seconds: float = 1.5) -> np.ndarray:
    impulse = np.zeros(round(seconds * RATE))
    impulse[0] = 0.5
    return sounds(impulse, reverb)


@pytest.mark.parametrize("ms", [0.5, 20.0, 250.0])
def test_the_predelay_is_that_long(ms: float) -> None:
    late = round(ms * RATE / 1000)
    np.testing.assert_allclose(struck(Reverb(predelay_ms=ms))[late:], struck(Reverb())[:-late], atol=1e-7)


def test_the_low_cut_takes_away_12_db_per_octave() -> None:
    cut = signal.lfilter(*signal.butter(2, 150.0, "highpass", fs=RATE), struck(Reverb()))
    np.testing.assert_allclose(struck(Reverb(cut_hz=150.0)), cut, atol=1e-6)


@pytest.mark.parametrize("name", SPACES)
def test_damping_is_the_spaces_own_in_the_middle_and_takes_the_highs_above(name: str) -> None:
    own = {"pantry": (0.25, 0.75, 0.6), "grain barn": (0.72, 0.55, 1.0), "stone stair": (0.9, 0.15, 0.85)}[name]
    room = Room(room_size=own[0], damping=own[1], width=own[2], wet_level=1 / 3, dry_level=0.0)
    impulse = np.zeros((2, 48_000), np.float32)
    impulse[:, 0] = 0.5
    np.testing.assert_allclose(struck(Reverb(space=name), 1.0), room.process(impulse, RATE, 48_000)[0], atol=1e-6)
    highs = []
    for damping in (0.0, 50.0, 100.0):
        late = struck(Reverb(space=name, damping=damping))[RATE // 5 : RATE // 2]
        hz, power = signal.welch(late, RATE, nperseg=4096)
        highs.append(power[hz > 6000].sum() / power[hz < 1000].sum())
    assert highs[0] > 2 * highs[1]
    assert highs[1] > 2 * highs[2]


MOVES = {
    "predelay_ms": (0.0, 250.0), "damping": (0.0, 100.0), "cut_hz": (0.0, 500.0), "on": (True, False),
}


@pytest.mark.parametrize("period", [64, 1024])
@pytest.mark.parametrize("name", MOVES)
def test_a_setting_moves_from_end_to_end_without_a_click(name: str, period: int) -> None:
    later = {"predelay_ms": 200.0} if name == "on" else {}
    one, other = (replace(Reverb(), **{**later, name: value}) for value in MOVES[name])
    time = np.arange(4 * RATE) / RATE
    for hz in (200.0, 3000.0, 9000.0):
        out = sounds(0.3 * np.minimum(1.0, time / 0.5) ** 2 * np.sin(2 * np.pi * hz * time), one, other, one, period=period)
        near = [hz - 250, hz + 250] if hz > 250 else hz + 250
        aside = signal.firwin(4801, near, fs=RATE, pass_zero="bandstop" if hz > 250 else False, window=("kaiser", 12.0))
        left = signal.fftconvolve(out[round(0.9 * RATE) :], aside, mode="valid")
        assert 20 * np.log10(np.abs(left).max()) < -80.0


@pytest.mark.parametrize("period", [64, 480])
def test_one_that_is_off_is_silent_and_begins_with_nothing_in_it(period: int) -> None:
    noise = np.random.default_rng(1).uniform(-0.3, 0.3, 3 * RATE)
    noise[round(1.5 * RATE) :] = 0.0
    out = sounds(noise, Reverb(predelay_ms=40.0), Reverb(on=False), Reverb(predelay_ms=40.0), period=period)
    assert np.abs(out[round(0.5 * RATE) : RATE]).max() > 0.01
    assert not out[round(1.2 * RATE) :].any(), "what was sent before it was off, and while it was, is gone"


def test_a_reverb_of_the_plan_is_set_and_switched() -> None:
    """The engine takes what the plan says, beginning and in mid-run."""
    def plan(reverb: Reverb) -> Plan:
        made = plan_of(TrackPlan(1, "A", (2,), True, 0.0, -1.0), main_db=0.0)
        return replace(made, returns=(ReturnPlan(1, "Barn", effects=Effects(reverb=reverb)),),
                       routes=(("track:1", "return:1"), ("return:1", "mix:1")))

    engine = Engine(Nobody(plan(Reverb())), plan(Reverb()))
    inputs, outputs = np.zeros((plan(Reverb()).inputs, 128), np.float32), np.zeros((plan(Reverb()).outputs, 128), np.float32)
    heard = []
    for n in range(900):
        inputs[2] = 0.1 * np.sin(2 * np.pi * 440 * np.arange(128 * n, 128 * n + 128) / RATE)
        if n in (300, 600):
            engine.soon(engine.set_plan(plan(Reverb(on=n == 600))))
        engine.process(inputs, outputs, 128 * n, 0)
        heard.append(np.abs(engine.mix_of(0, 128 * n, 128 * n + 128)).max())
    assert max(heard[200:300]) > 0.01
    assert max(heard[450:600]) == 0.0
    assert max(heard[750:]) > 0.01

"""Any setting of an equaliser, compressor or reverb moved to any other while a tone sounds: what is heard beside the tone.

usage: python bench/effect_clicks.py [how many changes for each rate] [seed]
"""

import sys
from typing import Any

import numpy as np
from common import tell
from scipy.signal import fftconvolve, firwin

from cattailer.core.mix.effects import SPACES, Compressor, Effects, Equaliser, Reverb, changed, ranges
from cattailer.core.mix.flow import Insert
from cattailer.core.sound.curves import along, gliding
from cattailer.core.units import amplitude
from cattailer.engine.effects.spaces import Space
from cattailer.engine.effects.strips import Settings, Strips

RATES, PERIOD = (44_100, 48_000, 96_000), 64
ASIDE_HZ, TONES_HZ = 250.0, (60.0, 400.0, 1000.0, 3000.0, 9000.0)
CHANGED_S, LONG_S = 1.0, 2.0


def drawn(random: np.random.Generator, kind: str) -> Effects:
    """An effect whose settings are drawn, now and then from the ends of what they can be."""
    space = str(random.choice(list(SPACES)))
    effects = {"eq": Effects(Equaliser()), "dyn": Effects(dyn=Compressor()), "reverb": Effects(reverb=Reverb(space=space))}[kind]
    for name, within in ranges(kind).items():
        low, high = within.low, within.high
        value = low * (high / low) ** random.random() if low > 0 else random.uniform(low, high)
        effects = changed(effects, kind, name, float(random.choice([low, high, value], p=[0.15, 0.15, 0.7])))
    return effects


def beside(one: Effects, other: Effects, hz: float, falls: bool, rate_hz: int) -> float:
    """The peak in dB, over what comes out at most, of what is more than ``ASIDE_HZ`` from the tone, from before the
    change on. ``falls``: the tone goes down by 20 dB shortly before, so that a release is under way."""
    time = np.arange(round(LONG_S * rate_hz)) / rate_hz
    still = 0.5 - 0.5 * np.tanh((time - 0.85) * 40) if falls else np.ones(len(time))
    level = amplitude(-26.0) + (amplitude(-6.0) - amplitude(-26.0)) * still
    level *= along(gliding(rate_hz, 0.4), 0, len(time))  # a tone that began at once would go on in a reverb
    channels = 2 if one.reverb else 1
    sound = np.stack([level * np.sin(2 * np.pi * hz * time)] * channels).astype(np.float32)
    made = (Space if one.reverb else _strips)(Insert("a", 0, channels, one), 0, rate_hz, PERIOD)
    for at in range(0, sound.shape[1] - PERIOD + 1, PERIOD):
        if at <= CHANGED_S * rate_hz < at + PERIOD:
            _ask(made, Insert("a", 0, channels, other), rate_hz)
        made.process(sound[:, at : at + PERIOD])
    low, high = max(hz - ASIDE_HZ, 0.0), hz + ASIDE_HZ
    taps = 2 * round(0.05 * rate_hz) + 1
    kept = firwin(taps, high if low == 0.0 else [low, high], fs=rate_hz, pass_zero=False if low == 0.0 else "bandstop",
                  window=("kaiser", 12.0))
    out = sound[0, round(0.94 * rate_hz) :].astype(np.float64)
    left = fftconvolve(out, kept, mode="valid")
    return float(20 * np.log10(np.abs(left).max() / max(1.0, np.abs(out).max()) + 1e-12))


def _strips(insert: Insert, first: int, rate_hz: int, period: int) -> Strips:
    return Strips([insert], first, rate_hz, period)


def _ask(made: Strips | Space, insert: Insert, rate_hz: int) -> None:
    if isinstance(made, Space) and insert.effects.reverb is not None:
        made.ask(insert.effects.reverb)
    elif isinstance(made, Strips):
        made.ask(Settings.of([insert], rate_hz))


def rate(rate_hz: int, many: int, seed: int) -> dict[str, Any]:
    random, worst = np.random.default_rng(seed), dict[str, tuple[float, str]]()
    for kind in ("eq", "dyn", "reverb"):
        worst[kind] = (-240.0, "")
        for _ in range(many):
            one = drawn(random, kind)
            if random.random() < 0.6:
                name = str(random.choice(list(ranges(kind))))
                within = ranges(kind)[name]
                other = changed(one, kind, name, float(random.choice([within.low, within.high])))
            else:
                other = drawn(random, kind)
            if one.reverb:
                other = changed(other, kind, "space", one.reverb.space)  # another space is another plan, and faded
            other = changed(other, kind, "on", False) if random.random() < 0.1 else other
            one, other = (other, one) if random.random() < 0.5 else (one, other)
            hz, falls = float(random.choice(TONES_HZ)), bool(random.random() < 0.3)
            before = beside(one, one, hz, falls, rate_hz)
            after = beside(other, other, hz, falls, rate_hz)
            got = beside(one, other, hz, falls, rate_hz)
            if got > max(before, after) + 1.0 and got > worst[kind][0]:
                worst[kind] = got, f"{hz:g} Hz{', falling' if falls else ''}: {one.to_dict()[kind]} to {other.to_dict()[kind]}"
    return {kind: {"worst_dbfs": round(db, 1), "where": where} for kind, (db, where) in worst.items()}


def main() -> None:
    many, seed = int(sys.argv[1]) if len(sys.argv) > 1 else 60, int(sys.argv[2]) if len(sys.argv) > 2 else 1
    tell(**{str(rate_hz): rate(rate_hz, many, seed) for rate_hz in RATES})


if __name__ == "__main__":
    main()

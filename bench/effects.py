"""Effects against their definitions: the compressor's curve and times, the equaliser against its analogue prototypes, what
the limiter lets pass between samples; ``drawn``: the last two at thousands of settings and dozens of sounds drawn.

usage: python bench/effects.py [compressor | equaliser | limiter | drawn]
"""

import sys
from collections.abc import Callable
from dataclasses import replace
from itertools import product
from typing import Any

import numpy as np
from common import tell
from numpy.typing import NDArray
from scipy.signal import freqz, resample_poly

from cattailer.core.mix.effects import Compressor, Effects, Equaliser
from cattailer.core.mix.equalising import response_db
from cattailer.core.mix.fitted import HIGH_SHELF, LOW_SHELF, PEAK, section
from cattailer.core.mix.flow import Insert
from cattailer.core.units import amplitude, decibels
from cattailer.engine.block.limiter import Limiter
from cattailer.engine.block.prepared import prepare
from cattailer.engine.effects.strips import Strips
from cattailer.engine.sources.playback import Playback
from cattailer.services.session import demo

RATES = (44_100, 48_000, 96_000)
PERIOD = 64
Doubles = NDArray[np.float64]


def sine(hz: float, db: float, seconds: float, rate_hz: int) -> Doubles:
    return amplitude(db) * np.sin(2 * np.pi * hz * np.arange(round(seconds * rate_hz)) / rate_hz)


def compressed(sound: Doubles, dyn: Compressor, rate_hz: int) -> Doubles:
    strips = Strips([Insert("a", 0, 1, Effects(dyn=dyn))], 0, rate_hz, PERIOD)
    out = np.zeros(len(sound) // PERIOD * PERIOD)
    for at in range(0, len(out), PERIOD):
        block = sound[None, at : at + PERIOD].astype(np.float32)
        strips.process(block)
        out[at : at + PERIOD] = block[0]
    return out


def static_curve(rate_hz: int) -> dict[str, Any]:
    """Sines at -6 dBFS, 18 dB over a threshold at 4 : 1: 13.5 dB less, whatever frequency and times."""
    off: dict[str, float] = {}
    for hz, (attack, release) in product((50, 100, 1000, 5000, 15_000), ((0.1, 5), (10, 120), (200, 5), (200, 2000))):
        dyn = Compressor(threshold_db=-24.0, ratio=4.0, attack_ms=attack, release_ms=release, knee_db=0.0)
        seconds = 0.5 + 8 * max(attack, release) / 1000
        sound = sine(hz, -6.0, seconds, rate_hz)
        end = slice(-round(0.2 * rate_hz), None)
        got = compressed(sound, dyn, rate_hz)[end]
        asked = sound[: len(sound) // PERIOD * PERIOD][end]
        less = decibels(np.sqrt((asked**2).mean())) - decibels(np.sqrt((got**2).mean()))
        off[f"{hz} Hz, {attack:g}/{release:g} ms"] = round(float(less - 13.5), 2)
    worst = max(off.values(), key=abs)
    return {"asked_db": 13.5, "off_db": off, "worst_db": worst}


def times(rate_hz: int) -> dict[str, Any]:
    """A tone of 5 kHz that jumps up by 20 dB and down again: when 63 % of the reduction in dB is reached, and given back."""
    off = {}
    for attack, release in ((1, 50), (10, 120), (50, 400), (200, 1000)):
        dyn = Compressor(threshold_db=-30.0, ratio=4.0, attack_ms=attack, release_ms=release, knee_db=0.0)
        parts = [(-40.0, 0.2), (-10.0, 12 * attack / 1000 + 0.1), (-40.0, 10 * release / 1000 + 0.1)]
        edges = np.cumsum([round(seconds * rate_hz) for _, seconds in parts])
        level = np.concatenate([np.full(round(seconds * rate_hz), amplitude(db)) for db, seconds in parts])
        sound = level * np.sin(2 * np.pi * 5000 * np.arange(len(level)) / rate_hz)
        got = compressed(sound, dyn, rate_hz)
        seen = np.abs(sound[: len(got)]) > 0.5 * level[: len(got)]
        less = np.interp(np.arange(len(got)), np.flatnonzero(seen),
                         -20 * np.log10(np.abs(got[seen] / sound[: len(got)][seen])))
        most = less[edges[1] - 10]
        down = int(np.argmax(less[edges[0] :] > 0.632 * most)) / rate_hz
        after = less[edges[1] + round(0.010 * rate_hz) :]
        up = int(np.argmax(after < 0.368 * most)) / rate_hz
        off[f"{attack:g}/{release:g} ms"] = {"attack_ms": round(1000 * down, 2), "release_after_hold_ms": round(1000 * up, 1)}
    return off


def analogue_db(kind: str, hz: float, db: float, q: float, at: Doubles) -> Doubles:
    """The prototypes of the sections, |H(s)| with s on the imaginary axis (R. Bristow-Johnson, W3C note)."""
    s, a, slope = 1j * at / hz, 10.0 ** (db / 40.0), np.sqrt(0.5)
    made = {
        "cut": lambda: s**2 / (s**2 + s / slope + 1),
        "peak": lambda: (s**2 + s * a / q + 1) / (s**2 + s / (a * q) + 1),
        "low": lambda: a * (s**2 + np.sqrt(a) / slope * s + a) / (a * s**2 + np.sqrt(a) / slope * s + 1),
        "high": lambda: a * (a * s**2 + np.sqrt(a) / slope * s + 1) / (s**2 + np.sqrt(a) / slope * s + a),
    }
    return np.asarray(20 * np.log10(np.abs(made[kind]())))


EQUALISERS: dict[str, Callable[[float, float, float], Equaliser]] = {
    "cut": lambda hz, _, __: Equaliser(cut_hz=hz),
    "peak": lambda hz, db, q: Equaliser(one_hz=hz, one_db=db, one_q=q),
    "low": lambda hz, db, _: Equaliser(low_hz=hz, low_db=db),
    "high": lambda hz, db, _: Equaliser(high_hz=hz, high_db=db),
}


def equaliser(rate_hz: int) -> dict[str, Any]:
    """How far each kind is from its prototype up to 18 kHz, and at 20 kHz, at the worst of many settings."""
    at = np.geomspace(20, 18_000, 400)
    out: dict[str, Any] = {}
    for kind, made in EQUALISERS.items():
        worst, worst_20k, where = 0.0, 0.0, ""
        for hz, db, q in product((50, 200, 1000, 4000, 8000, 12_000, 16_000, 19_000), (-18, -6, 6, 18), (0.3, 1, 3, 10)):
            if kind == "cut" and hz > 500:
                continue
            off = response_db(made(hz, db, q), at, rate_hz) - analogue_db(kind, hz, db, q, at)
            top = np.array([20_000.0])
            off_20k = float(np.abs(response_db(made(hz, db, q), top, rate_hz) - analogue_db(kind, hz, db, q, top))[0])
            if (most := float(np.abs(off).max())) > worst:
                worst, where = most, f"{hz} Hz, {db} dB, Q {q}"
            worst_20k = max(worst_20k, off_20k)
        out[kind] = {"to_18_khz_db": round(worst, 2), "at": where, "at_20_khz_db": round(worst_20k, 2)}
    return out


def drawn_equalisers(rate_hz: int, many: int = 3000) -> dict[str, Any]:
    """Of sections at settings drawn, half of them above 8 kHz: the share of what is allowed (0.5 dB up to 18 kHz, rising to
    1.5 dB at 20) by which the worst is off, and how near to the circle any root comes."""
    random = np.random.default_rng(5)
    at = np.concatenate([np.geomspace(20, 18_000, 400), np.linspace(18_000, 20_000, 41)])
    allowed = np.interp(at, [18_000, 20_000], [0.5, 1.5])
    worst, outermost = 0.0, 0.0
    for _ in range(many):
        kind, name = list({"peak": PEAK, "low": LOW_SHELF, "high": HIGH_SHELF}.items())[random.integers(3)]
        hz = float(random.uniform(8000, 20_000) if random.random() < 0.5 else np.exp(random.uniform(np.log(20), np.log(20_000))))
        db, q = float(random.uniform(-18, 18)), float(np.exp(random.uniform(np.log(0.3), np.log(10))))
        b0, b1, b2, a1, a2 = section(name, hz, db, q, rate_hz)
        got = 20 * np.log10(np.abs(freqz([b0, b1, b2], [1.0, a1, a2], at, fs=rate_hz)[1]))
        worst = max(worst, float((np.abs(got - analogue_db(kind, hz, db, q, at)) / allowed).max()))
        outermost = max(outermost, *(float(np.abs(np.roots(p)).max()) for p in ([b0, b1, b2], [1.0, a1, a2])))
    return {"of": many, "worst_share_of_allowed": round(worst, 2), "outermost_root": round(outermost, 7)}


def drawn_limits(rate_hz: int, many: int = 80) -> dict[str, Any]:
    """Noise, tones, steps and clicks whose level changes all the time: how far over any ceiling it goes between samples."""
    random, worst = np.random.default_rng(3), -99.0
    long, time = rate_hz // 2, np.arange(rate_hz // 2)
    for n in range(many):
        level = 10.0 ** random.uniform(-1.5, 0.3, long // 500 + 1).repeat(500)[:long]
        sound = (
            random.uniform(-1, 1, long), np.sin(2 * np.pi * random.uniform(0.001, 0.45) * time),
            np.where(time // random.integers(1, 40) % 2, 1.0, -1.0), np.where(random.random(long) < 0.003, 1.0, 0.0),
        )[n % 4]
        ceiling_db = float(random.uniform(-30, -1))
        got = limited(sound * level, rate_hz, ceiling_db)
        worst = max(worst, decibels(float(np.abs(resample_poly(got, 32, 1)).max())) - ceiling_db)
    return {"of": many, "worst_over_db": round(worst, 3)}


def limited(sound: Doubles, rate_hz: int, ceiling_db: float) -> Doubles:
    """As a mix is, without what it is late by."""
    plan = demo.plan(False, period=PERIOD)
    limit, mixes = Limiter(rate_hz, PERIOD), (replace(plan.mixes[0], limit_dbfs=ceiling_db),)
    prepared = prepare(replace(plan, rate_hz=rate_hz, mixes=mixes), Playback(plan), None, 0)
    both = np.repeat(np.pad(sound, (0, limit.delay_samples)).astype(np.float32)[None], 2, axis=0)
    for at in range(0, both.shape[1], PERIOD):
        limit.apply(both[:, at : at + PERIOD], prepared)
    return np.asarray(both[0, limit.delay_samples :], np.float64)


def limiter(rate_hz: int) -> dict[str, Any]:
    """How far over its ceiling what it lets pass goes between samples (32 times), and what it does to a low tone."""
    random = np.random.default_rng(1)
    long = rate_hz
    quarter = sine(rate_hz / 4, 0.0, 1.0, rate_hz)
    sounds = {
        "noise": random.uniform(-1, 1, long),
        "a tone at a quarter of the rate, between samples": np.cos(2 * np.pi * np.arange(long) / 4 + np.pi / 4),
        "a tone at a quarter of the rate, on samples": quarter,
        "steps": np.where(np.arange(long) // 7 % 2, 0.9, -0.9),
        "clicks": np.where(random.random(long) < 0.002, 1.0, 0.0),
        "a tone of 10 kHz that is keyed": sine(10_007.0, 0.0, 1.0, rate_hz) * (np.arange(long) // 997 % 2),
        "full noise in bursts": random.choice([-1.0, 1.0], long) * (np.arange(long) // 1500 % 2),
        "a sweep": np.sin(2 * np.pi * np.cumsum(np.linspace(20, 0.48 * rate_hz, long)) / rate_hz),
    }
    over = {}
    for name, sound in sounds.items():
        got = limited(sound, rate_hz, -12.0)
        over[name] = round(decibels(float(np.abs(resample_poly(got, 32, 1)).max())) + 12.0, 2)
    tone = limited(sine(50.0, -6.0, 4.0, rate_hz), rate_hz, -12.0)[-rate_hz:]
    spectrum = np.abs(np.fft.rfft(tone * np.blackman(len(tone)))) ** 2
    own = slice(45, 56)
    rest = spectrum.copy()
    rest[own] = 0.0
    return {"over_db": over, "worst_db": max(over.values()),
            "distortion_of_50_hz_6_db_over_db": round(float(10 * np.log10(rest.sum() / spectrum[own].sum())), 1)}


def main() -> None:
    asked = sys.argv[1:] or ["compressor", "equaliser", "limiter", "drawn"]
    tables: dict[str, Any] = {}
    for rate_hz in RATES:
        tables[str(rate_hz)] = {}
        if "compressor" in asked:
            tables[str(rate_hz)] |= {"curve": static_curve(rate_hz), "times": times(rate_hz)}
        if "equaliser" in asked:
            tables[str(rate_hz)]["equaliser"] = equaliser(rate_hz)
        if "limiter" in asked:
            tables[str(rate_hz)]["limiter"] = limiter(rate_hz)
        if "drawn" in asked:
            tables[str(rate_hz)]["drawn"] = {"equaliser": drawn_equalisers(rate_hz), "limiter": drawn_limits(rate_hz)}
    tell(**tables)


if __name__ == "__main__":
    main()

"""Made rows to find hum in, or not: notes of every pitch and rhythm, drums, speech, noise, and hum of every kind."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cattailer.core.units import amplitude
from cattailer.liveroom.instruments.drum import frame_drum
from cattailer.liveroom.instruments.voice import syllable

Row = NDArray[np.float64]
Random = np.random.Generator

MUSIC = ("silence", "plucked", "bass", "held", "low tone", "drums", "machine drums", "frame drum", "speech", "two of them")
RANGES_HZ = {"plucked": (60, 500), "bass": (30, 130), "held": (40, 500), "low tone": (47, 62)}
TOP_HZ = 2000.0
"""Notes have no partials above: nothing there can be taken for hum."""

PARTIALS = ((1,), (1, 3, 5, 7), (2, 4, 6, 8), (1, 2, 4), (1, 2, 3, 4, 5, 6, 7, 8), (1, 2, 3, 5, 7))
STRAYS_HZ, WANDERS_HZ = 0.2, 0.001
"""How far mains stray, and how far they wander in a second."""


@dataclass(frozen=True)
class Case:
    """``over_db`` is how far the hum stands above the noise (RMS), None without hum."""

    kind: str
    music: Row
    noise: Row
    hum: Row
    over_db: float | None
    mains_hz: float

    @property
    def sound(self) -> NDArray[np.float32]:
        return (self.music + self.noise + self.hum).astype(np.float32)


def made(seed: int, rate_hz: int, seconds: float) -> Case:
    random = np.random.default_rng(seed)
    samples = round(rate_hz * seconds)
    kind = str(random.choice(MUSIC))
    music = played(kind, random, rate_hz, samples)
    music *= amplitude(random.uniform(-30.0, -3.0)) / max(1e-9, float(np.abs(music).max()))
    noise_dbfs = random.uniform(-90.0, -60.0)
    noise = noise_of(random, rate_hz, samples) * amplitude(noise_dbfs)
    mains_hz = float(random.choice([50.0, 60.0])) + random.uniform(-STRAYS_HZ, STRAYS_HZ)
    over_db = float(random.uniform(-10.0, 30.0)) if random.random() < 0.5 else None
    hum = np.zeros(samples)
    if over_db is not None:
        hum = hum_of(random, rate_hz, samples, mains_hz) * amplitude(noise_dbfs + over_db)
    return Case(kind, music, noise, hum, over_db, mains_hz)


def played(kind: str, random: Random, rate_hz: int, samples: int) -> Row:
    """Music of a kind, at any level."""
    if kind == "silence":
        return np.zeros(samples)
    if kind == "two of them":
        parts = random.choice(["plucked", "bass", "held", "drums", "speech"], 2, replace=False)
        return sum((played(str(each), random, rate_hz, samples) * amplitude(random.uniform(-20.0, 0.0)) for each in parts),
                   np.zeros(samples))
    if kind in RANGES_HZ:
        return _notes(kind, random, rate_hz, samples)
    if kind == "speech":
        return _speech(random, rate_hz, samples)
    return _frame_drum(random, rate_hz, samples) if kind == "frame drum" else _drums(kind, random, rate_hz, samples)


def noise_of(random: Random, rate_hz: int, samples: int) -> Row:
    """White, or with much rumble; RMS 1."""
    noise = random.standard_normal(samples)
    if random.random() < 0.3:
        hz = np.fft.rfftfreq(samples, 1 / rate_hz)
        noise = np.fft.irfft(np.fft.rfft(noise) * (hz > 15.0) / np.sqrt(np.maximum(hz, 15.0)), samples)
    return np.asarray(noise / np.sqrt(np.mean(noise**2)))


def hum_of(random: Random, rate_hz: int, samples: int, mains_hz: float) -> Row:
    """Partials of usual sets or of any, each of any level; mains wander a little; RMS 1."""
    partials: tuple[int, ...] = PARTIALS[int(random.integers(len(PARTIALS)))]
    if random.random() < 0.3:
        partials = (*(np.flatnonzero(random.random(8) < 0.4) + 1).tolist(),) or (int(random.integers(1, 5)),)
    t = np.arange(samples) / rate_hz
    whole = np.arange(int(t[-1]) + 2)
    wander_hz = np.interp(t, whole, np.cumsum(random.standard_normal(len(whole)) * WANDERS_HZ))
    phase = 2 * np.pi * np.cumsum(mains_hz + wander_hz - wander_hz.mean()) / rate_hz
    out = np.zeros(samples)
    for k in partials:
        out += random.uniform(0.15, 1.0) * np.sin(k * phase + random.uniform(0.0, 2 * np.pi))
    return np.asarray(out / np.sqrt(np.mean(out**2)))


def _notes(kind: str, random: Random, rate_hz: int, samples: int) -> Row:
    plucked, (low_hz, high_hz) = kind in ("plucked", "bass"), RANGES_HZ[kind]
    one_hz = _pitch(random, low_hz, high_hz) if random.random() < 0.35 else 0.0
    step_s = float(np.exp(random.uniform(np.log(0.15), np.log(3.0)))) if plucked else random.uniform(0.5, 8.0)
    levels = random.uniform(0.2, 1.0, 30) / np.arange(1, 31) ** random.uniform(0.5, 2.0)
    decay_s = float(np.exp(random.uniform(np.log(0.3), np.log(10.0)))) if plucked else np.inf
    share, strict = random.uniform(0.3, 1.1), random.random() < 0.4
    vibrato = float(random.choice([0.0, 0.01])) if kind == "held" else 0.0
    out = np.zeros(samples)
    for _ in range(random.integers(1, 4) if kind in ("plucked", "held") else 1):
        at_s = random.uniform(-step_s, step_s)
        while at_s < samples / rate_hz:
            length_s = step_s * (1.0 if strict else random.uniform(0.5, 1.6))
            if random.random() < 0.85:
                hz = one_hz or _pitch(random, low_hz, high_hz)
                attack_s = 0.005 if plucked else random.uniform(0.02, 0.3)
                tone = _tone(random, rate_hz, hz, length_s * share, decay_s, levels, attack_s, vibrato)
                _put(out, round(at_s * rate_hz), tone * random.uniform(0.5, 1.0))
            at_s += length_s
    return out


def _pitch(random: Random, low_hz: float, high_hz: float) -> float:
    """Any, often one of the scale's, in tune or not quite."""
    hz = float(np.exp(random.uniform(np.log(low_hz), np.log(high_hz))))
    if random.random() < 0.6:
        hz = 440.0 * 2.0 ** (round(12 * np.log2(hz / 440.0)) / 12)
        hz *= 1.0 if random.random() < 0.7 else 2.0 ** (random.uniform(-0.3, 0.3) / 12)
    return hz


def _tone(
    random: Random, rate_hz: int, hz: float, seconds: float, decay_s: float, levels: Row, attack_s: float, vibrato: float
) -> Row:
    """Stiff strings are a little sharp above; ``decay_s`` is the time for 60 dB."""
    release_s, stiff = random.uniform(0.02, 0.3), float(random.choice([0.0, 1e-4, 5e-4]))
    t = np.arange(round(rate_hz * (seconds + release_s))) / rate_hz
    swing = vibrato / 6.0 * np.sin(2 * np.pi * random.uniform(4.0, 7.0) * t)
    out = np.zeros(len(t))
    for k, level in enumerate(levels, 1):
        partial_hz = hz * k * np.sqrt(1.0 + stiff * k * k)
        if partial_hz > TOP_HZ:
            break
        wave = np.sin(2 * np.pi * partial_hz * t + partial_hz * swing + random.uniform(0.0, 2 * np.pi))
        out += level * wave * 10.0 ** (-3.0 * t * (1.0 + 0.2 * k) / decay_s)
    return out * np.minimum(1.0, t / attack_s) * np.clip((seconds + release_s - t) / release_s, 0.0, 1.0)


def _drums(kind: str, random: Random, rate_hz: int, samples: int) -> Row:
    """Three drums in time; a machine's strokes are all the same, and beats often fall in with the mains."""
    beat_s = 60.0 / float(random.choice([90.0, 100.0, 110.0, 120.0, 120.0, 128.0, 140.0, 150.0, random.uniform(60.0, 180.0)]))
    struck = [
        _stroke(rate_hz, random.uniform(40, 65), random.uniform(0, 2), random.uniform(0.2, 1.5), 0.03),
        _stroke(rate_hz, random.uniform(60, 200), random.uniform(0, 0.3), random.uniform(0.3, 2.5), 0.05),
        _stroke(rate_hz, random.uniform(150, 300), 0.2, 0.2, 0.02),
    ]
    out, people = np.zeros(samples), kind == "drums"
    for stroke in struck:
        every_s, at_s = beat_s * float(random.choice([0.5, 1, 2, 4])), beat_s * float(random.choice([0, 0.5, 1]))
        while at_s < samples / rate_hz:
            off_s, level = (0.012 * random.standard_normal(), random.uniform(0.5, 1.0)) if people else (0.0, 1.0)
            _put(out, round((at_s + off_s) * rate_hz), stroke * level)
            at_s += every_s
    return out


def _stroke(rate_hz: int, hz: float, drop: float, decay_s: float, bend_s: float) -> Row:
    t = np.arange(round(rate_hz * min(3.0, 1.2 * decay_s))) / rate_hz
    phase = 2 * np.pi * np.cumsum(hz * (1.0 + drop * np.exp(-t / bend_s))) / rate_hz
    return np.sin(phase) * 10.0 ** (-3.0 * t / decay_s) * np.minimum(1.0, t / 0.002)


def _frame_drum(random: Random, rate_hz: int, samples: int) -> Row:
    """The live room's, of which hum was once told that was not there."""
    out, at_s, beat_s = np.zeros(samples), random.uniform(0.0, 0.5), random.uniform(0.3, 0.8)
    while at_s < samples / rate_hz:
        hz = float(random.uniform(55.0, 95.0) if random.random() < 0.6 else random.uniform(200.0, 400.0))
        _put(out, round(at_s * rate_hz), frame_drum(rate_hz, hz, 0.5, random) * random.uniform(0.4, 1.0))
        at_s += beat_s * float(random.choice([0.5, 1.0, 1.0, 2.0]))
    return out


def _speech(random: Random, rate_hz: int, samples: int) -> Row:
    out, at_s, hz = np.zeros(samples), random.uniform(0.0, 0.5), random.uniform(80.0, 260.0)
    while at_s < samples / rate_hz:
        length_s = random.uniform(0.08, 0.35)
        spoken = syllable(rate_hz, hz * random.uniform(0.8, 1.3), length_s, random)
        _put(out, round(at_s * rate_hz), spoken * random.uniform(0.3, 1.0))
        at_s += length_s + (random.uniform(0.02, 0.1) if random.random() < 0.8 else random.uniform(0.2, 0.9))
    return out


def _put(out: Row, at: int, sound: NDArray[np.floating]) -> None:
    sound = sound[max(0, -at) :]
    at = max(0, at)
    out[at : at + len(sound)] += sound[: max(0, len(out) - at)]

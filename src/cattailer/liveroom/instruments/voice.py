"""A voice-like narrator: a buzz through a vocal tract, syllable by syllable; no words."""

import numpy as np

from cattailer.liveroom.instruments.tones import Floats, at_peak_one, band_noise, envelope, periodic, resonances

_VOWELS = [
    [(730.0, 120.0, 1.0), (1090.0, 130.0, 0.6), (2440.0, 200.0, 0.2)],
    [(530.0, 100.0, 1.0), (1840.0, 160.0, 0.45), (2480.0, 200.0, 0.25)],
    [(300.0, 90.0, 1.0), (2250.0, 180.0, 0.3), (2900.0, 240.0, 0.25)],
    [(570.0, 100.0, 1.0), (840.0, 110.0, 0.7), (2410.0, 200.0, 0.12)],
    [(440.0, 90.0, 1.0), (1020.0, 120.0, 0.5), (2240.0, 200.0, 0.15)],
]


def syllable(rate_hz: int, hz: float, seconds: float, rng: np.random.Generator) -> Floats:
    """A consonant of noise, then a vowel whose pitch falls a little."""
    count = int(rate_hz * (seconds + 0.05))
    k = np.arange(1, 46)
    tract = _VOWELS[int(rng.integers(len(_VOWELS)))]
    level = resonances(k * hz, tract) / k**0.7
    vowel = periodic(rate_hz, count, hz, level, rng, 2.2, -70) * envelope(rate_hz, count, 0.035, 0.09)
    hiss = int(rate_hz * rng.uniform(0.03, 0.07))
    corner = float(rng.choice([1800, 3200, 4500]))
    consonant = band_noise(rate_hz, hiss, corner, corner * 2, rng) * envelope(rate_hz, hiss, 0.01, 0.02)
    return at_peak_one(np.concatenate([0.07 * consonant, vowel]))


def breath(rate_hz: int, hz: float, seconds: float, rng: np.random.Generator) -> Floats:
    """What a plosive blows into a close microphone: a thump at some 40 Hz, on the longer syllables."""
    if seconds < 0.25:
        return np.zeros(1, np.float32)
    count = int(rate_hz * 0.14)
    t = np.arange(count) / rate_hz
    thump = np.sin(2 * np.pi * float(rng.uniform(32, 44)) * t) * envelope(rate_hz, count, 0.012, 0.09)
    return at_peak_one(thump)

"""Hammered dulcimer, lap harp and cello."""

import numpy as np

from cattailer.liveroom.instruments.tones import (
    Floats,
    at_peak_one,
    band_noise,
    envelope,
    partials,
    periodic,
    resonances,
)


def _struck(
    rate_hz: int, hz: float, ring_s: float, courses: int, place: float, bright: float, rng: np.random.Generator
) -> Floats:
    """Stiff strings in courses; the place of the stroke leaves out partials (comb)."""
    count = int(rate_hz * (ring_s + 0.2))
    k = np.arange(1, 25)
    out = np.zeros(count, np.float32)
    for _ in range(courses):
        detune = 2 ** (rng.normal(0, 2.5) / 1200)
        pitch = k * hz * detune * np.sqrt(1 + 0.00012 * k**2)
        level = np.abs(np.sin(np.pi * k * place)) / k**bright
        out += partials(rate_hz, count, pitch, level, ring_s / (1.6 + 0.16 * k), rng)
    return out * envelope(rate_hz, count, 0.0015, 0.15)


def hammered(rate_hz: int, hz: float, seconds: float, rng: np.random.Generator) -> Floats:
    """Two wooden hammers on triple courses: bright, ringing on past the note's end."""
    out = _struck(rate_hz, hz, 2.2, 3, 0.11, 0.75, rng)
    knock = int(0.012 * rate_hz)
    wood = band_noise(rate_hz, knock, 900, 4500, rng) * np.linspace(1, 0, knock) ** 2
    out[:knock] += 0.25 * np.abs(out).max() * wood.astype(np.float32)
    return at_peak_one(out)


def plucked(rate_hz: int, hz: float, seconds: float, rng: np.random.Generator) -> Floats:
    """Fingers on gut: round, and shorter at the top."""
    return at_peak_one(_struck(rate_hz, hz, min(2.4, 420 / hz + 0.6), 1, 0.29, 1.7, rng))


def _bow(rate_hz: int, hz: float, seconds: float, rng: np.random.Generator, body: bool) -> Floats:
    count = int(rate_hz * (seconds + 0.2))
    k = np.arange(1, 31)
    level = 1.0 / k
    if body:
        wood = [(98.0, 40.0, 0.8), (190.0, 60.0, 1.0), (420.0, 200.0, 0.9), (900.0, 500.0, 0.5)]
        level = level * resonances(k * hz, [*wood, (2200.0, 900.0, 0.35)])
    tone = periodic(rate_hz, count, hz, level, rng, rng.uniform(4.8, 5.6), 22, 0.35)
    hair = band_noise(rate_hz, count, 1200, 6000, rng) * 0.012
    swell = 0.8 + 0.2 * np.sin(np.pi * np.linspace(0, 1, count))
    return at_peak_one((tone + hair) * swell * envelope(rate_hz, count, 0.09, 0.22))


def bowed(rate_hz: int, hz: float, seconds: float, rng: np.random.Generator) -> Floats:
    return _bow(rate_hz, hz, seconds, rng, True)


def bowed_at_the_bridge(rate_hz: int, hz: float, seconds: float, rng: np.random.Generator) -> Floats:
    """What a bridge pickup hears: no body, more edge."""
    return _bow(rate_hz, hz, seconds, rng, False)

"""Bass clarinet and harmonium."""

import numpy as np

from cattailer.liveroom.instruments.tones import Floats, at_peak_one, band_noise, envelope, periodic


def single_reed(rate_hz: int, hz: float, seconds: float, rng: np.random.Generator) -> Floats:
    """A cylindrical tube: odd harmonics first, even ones grow towards the top; some breath."""
    count = int(rate_hz * (seconds + 0.12))
    k = np.arange(1, 22)
    even = np.minimum(1.0, 0.06 + 0.05 * k)
    level = np.where(k % 2 == 1, 1.0, even) / k**1.15 * np.exp(-k * hz / 3200)
    tone = periodic(rate_hz, count, hz, level, rng)
    breath = band_noise(rate_hz, count, 500, 3500, rng) * 0.01
    return at_peak_one((tone + breath) * envelope(rate_hz, count, 0.045, 0.12))


def free_reed(rate_hz: int, hz: float, seconds: float, rng: np.random.Generator) -> Floats:
    """Two reeds a few cents apart, so the note beats slowly, and the bellows breathe."""
    count = int(rate_hz * (seconds + 0.12))
    k = np.arange(1, 19)
    level = 1.0 / k**0.85 * np.exp(-k * hz / 5200)
    tone = periodic(rate_hz, count, hz, level, rng) + 0.8 * periodic(rate_hz, count, hz * 2 ** (4.0 / 1200), level, rng)
    air = 1.0 + 0.06 * np.sin(2 * np.pi * 0.7 * np.arange(count) / rate_hz + rng.uniform(0, 6))
    return at_peak_one(tone * air * envelope(rate_hz, count, 0.06, 0.1))

"""A frame drum: the modes of a round skin, and the slap of the hand."""

import numpy as np

from cattailer.liveroom.instruments.tones import Floats, at_peak_one, band_noise, envelope, partials

_MODES = np.array([1.0, 1.594, 2.136, 2.296, 2.653, 2.918, 3.156, 3.501])
"""Frequency ratios of an ideal membrane (zeros of the Bessel functions)."""


def frame_drum(rate_hz: int, hz: float, seconds: float, rng: np.random.Generator) -> Floats:
    """Low ``hz`` is the open stroke in the middle, high ``hz`` the fingers at the rim."""
    rim = hz > 150
    count = int(rate_hz * (0.25 if rim else 0.9))
    level = np.linspace(0.3, 1.0, 8) if rim else 1.0 / np.arange(1, 9) ** 1.1
    ring = (0.06 if rim else 0.28) / np.sqrt(_MODES)
    skin = partials(rate_hz, count, hz * _MODES, level, ring, rng)
    slap = int(0.02 * rate_hz)
    skin[:slap] += (
        np.abs(skin).max() * (0.7 if rim else 0.25)
        * band_noise(rate_hz, slap, 1500 if rim else 400, 7000, rng) * np.linspace(1, 0, slap) ** 3
    )
    return at_peak_one(skin * envelope(rate_hz, count, 0.001, 0.05))

"""The equaliser's filters: second-order sections and what they do to each frequency."""

import math

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.effects import Compressor, Equaliser
from cattailer.core.mix.fitted import HIGH_SHELF, LOW_SHELF, PEAK, section

SECTIONS = 5
"""Low cut, low shelf, two peaks, high shelf."""
_FLAT = (1.0, 0.0, 0.0, 0.0, 0.0)
_SLOPE_Q = math.sqrt(0.5)
Coefficients = NDArray[np.float64]


def coefficients(eq: Equaliser | None, rate_hz: int) -> Coefficients:
    """b0, b1, b2, a1, a2 of each section, shape (5, 5); a section that does nothing, and all of them where ``eq`` is
    None or switched off, lets everything through."""
    if eq is None or not eq.on:
        return np.array([_FLAT] * SECTIONS)
    return np.array([
        *low_cut(eq.cut_hz, rate_hz),
        section(LOW_SHELF, eq.low_hz, eq.low_db, 1.0, rate_hz) if eq.low_db else _FLAT,
        section(PEAK, eq.one_hz, eq.one_db, eq.one_q, rate_hz) if eq.one_db else _FLAT,
        section(PEAK, eq.two_hz, eq.two_db, eq.two_q, rate_hz) if eq.two_db else _FLAT,
        section(HIGH_SHELF, eq.high_hz, eq.high_db, 1.0, rate_hz) if eq.high_db else _FLAT,
    ])


def detector(dyn: Compressor | None, rate_hz: int) -> Coefficients:
    """b0, b1, b2, a1, a2 of what a compressor listens through, shape (1, 5)."""
    return low_cut(dyn.detector_hz if dyn else 0.0, rate_hz)


def response_db(eq: Equaliser | None, hz: NDArray[np.float64], rate_hz: int) -> NDArray[np.float64]:
    """What the equaliser does to each frequency, in dB."""
    z = np.exp(-2j * np.pi * np.minimum(hz, 0.49 * rate_hz) / rate_hz)
    total = np.ones(len(hz), complex)
    for b0, b1, b2, a1, a2 in coefficients(eq, rate_hz):
        total *= (b0 + b1 * z + b2 * z * z) / (1.0 + a1 * z + a2 * z * z)
    out: NDArray[np.float64] = 20.0 * np.log10(np.maximum(np.abs(total), 1e-10))
    return out


def low_cut(hz: float, rate_hz: int) -> Coefficients:
    """b0, b1, b2, a1, a2 of 12 dB per octave below, shape (1, 5); 0 Hz lets everything through. By bilinear transform,
    which is near enough so far down (R. Bristow-Johnson, "Cookbook formulae for audio equalizer biquad filter
    coefficients", W3C note)."""
    if hz <= 0.0:
        return np.array([_FLAT])
    angle = 2.0 * math.pi * hz / rate_hz
    cos, alpha = math.cos(angle), math.sin(angle) / (2.0 * _SLOPE_Q)
    gain = (1.0 + cos) / (2.0 * (1.0 + alpha))
    return np.array([(gain, -2.0 * gain, gain, -2.0 * cos / (1.0 + alpha), (1.0 - alpha) / (1.0 + alpha))])

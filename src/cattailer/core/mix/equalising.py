"""The equaliser's filters: second-order sections and what they do to each frequency.

Formulas: R. Bristow-Johnson, "Cookbook formulae for audio equalizer biquad filter coefficients" (W3C note).
"""

import math

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.effects import Compressor, Equaliser

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
        _low_cut(eq.cut_hz, rate_hz) if eq.cut_hz > 0.0 else _FLAT,
        _shelf(eq.low_hz, eq.low_db, rate_hz, 1.0) if eq.low_db else _FLAT,
        _peak(eq.one_hz, eq.one_db, eq.one_q, rate_hz) if eq.one_db else _FLAT,
        _peak(eq.two_hz, eq.two_db, eq.two_q, rate_hz) if eq.two_db else _FLAT,
        _shelf(eq.high_hz, eq.high_db, rate_hz, -1.0) if eq.high_db else _FLAT,
    ])


def detector(dyn: Compressor | None, rate_hz: int) -> Coefficients:
    """b0, b1, b2, a1, a2 of what a compressor listens through, shape (1, 5)."""
    return np.array([_low_cut(dyn.detector_hz, rate_hz) if dyn and dyn.detector_hz > 0.0 else _FLAT])


def response_db(eq: Equaliser | None, hz: NDArray[np.float64], rate_hz: int) -> NDArray[np.float64]:
    """What the equaliser does to each frequency, in dB."""
    z = np.exp(-2j * np.pi * np.minimum(hz, 0.49 * rate_hz) / rate_hz)
    total = np.ones(len(hz), complex)
    for b0, b1, b2, a1, a2 in coefficients(eq, rate_hz):
        total *= (b0 + b1 * z + b2 * z * z) / (1.0 + a1 * z + a2 * z * z)
    out: NDArray[np.float64] = 20.0 * np.log10(np.maximum(np.abs(total), 1e-10))
    return out


def _angle(hz: float, rate_hz: int) -> float:
    return 2.0 * math.pi * min(hz, 0.49 * rate_hz) / rate_hz


def _section(b0: float, b1: float, b2: float, a0: float, a1: float, a2: float) -> tuple[float, ...]:
    return (b0 / a0, b1 / a0, b2 / a0, a1 / a0, a2 / a0)


def _low_cut(hz: float, rate_hz: int) -> tuple[float, ...]:
    w = _angle(hz, rate_hz)
    cos, alpha = math.cos(w), math.sin(w) / (2.0 * _SLOPE_Q)
    return _section((1 + cos) / 2, -(1 + cos), (1 + cos) / 2, 1 + alpha, -2 * cos, 1 - alpha)


def _peak(hz: float, db: float, q: float, rate_hz: int) -> tuple[float, ...]:
    w, a = _angle(hz, rate_hz), 10.0 ** (db / 40.0)
    cos, alpha = math.cos(w), math.sin(w) / (2.0 * q)
    return _section(1 + alpha * a, -2 * cos, 1 - alpha * a, 1 + alpha / a, -2 * cos, 1 - alpha / a)


def _shelf(hz: float, db: float, rate_hz: int, side: float) -> tuple[float, ...]:
    """``side`` 1 lifts what lies below ``hz``, -1 what lies above."""
    w, a = _angle(hz, rate_hz), 10.0 ** (db / 40.0)
    cos, two = side * math.cos(w), 2.0 * math.sqrt(a) * math.sin(w) / (2.0 * _SLOPE_Q)
    up, down = a + 1, a - 1
    return _section(
        a * (up - down * cos + two), side * 2 * a * (down - up * cos), a * (up - down * cos - two),
        up + down * cos + two, side * -2 * (down + up * cos), up + down * cos - two,
    )

"""Decibels and the references they stand on."""

import math

import numpy as np
from numpy.typing import NDArray

DBU_REFERENCE_V = math.sqrt(0.6)
"""0 dBu in volts RMS: 1 mW into 600 ohms."""

PASCAL_AT_94_DB_SPL = 1.0
"""Sound pressure in Pa RMS at 94 dB SPL (20 µPa reference, rounded as microphone sheets do)."""

SILENCE_DB = -200.0
"""What zero reads as, so that every figure stays finite."""


def amplitude(db: float) -> float:
    """Amplitude ratio of ``db`` decibels."""
    return float(10.0 ** (db / 20.0))


def decibels(ratio: float) -> float:
    """Decibels of an amplitude ratio; zero, NaN and negative values read as ``SILENCE_DB``."""
    if not ratio > 0.0:
        return SILENCE_DB
    return max(SILENCE_DB, 20.0 * math.log10(ratio))


def decibels_of(ratios: NDArray[np.float64]) -> NDArray[np.float64]:
    """As ``decibels``, for an array of any shape."""
    safe = np.where(np.isfinite(ratios) & (ratios > 0.0), ratios, 1e-10)
    out: NDArray[np.float64] = np.maximum(20.0 * np.log10(safe), SILENCE_DB)
    return out


def add_powers(*levels_db: float) -> float:
    """The level of independent signals together: their powers add."""
    return 10.0 * math.log10(sum(10.0 ** (level / 10.0) for level in levels_db))


def milliseconds(samples: float, rate_hz: int) -> float:
    return 1000.0 * samples / rate_hz

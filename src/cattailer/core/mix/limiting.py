"""The limiter at the end of each mix: how it looks for peaks, and how far ahead."""

from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.signal import firwin

SAMPLES, TRUE_PEAK, OFF = "samples only", "true peak", "off"
WAYS = (TRUE_PEAK, SAMPLES, OFF)
"""What a mix can choose."""
LOOK_AHEAD_S, HOLD_S, RECOVER_S = 0.001, 0.0135, 0.12
"""The hold is longer than half a period of 40 Hz, so that a low tone is turned down and not bent."""
_HALF, _QUARTER, _EIGHTH = 10, 4, 2
REACH = _HALF + 3
"""It looks at seven places between two samples, which so many samples on either side decide."""
MARGIN_DB = 0.1
"""So far below the ceiling it stays, for what is between the places that it looks at."""


def look_ahead_samples(rate_hz: int) -> int:
    """So much later every mix leaves, whether it is limited or not: then nothing moves when one is switched."""
    return int(LOOK_AHEAD_S * rate_hz)


def through_samples(round_trip_samples: int, rate_hz: int) -> int:
    """So late ears get what is live and goes through the engine."""
    return round_trip_samples + look_ahead_samples(rate_hz)


Taps = tuple[NDArray[np.float32], tuple[np.float32, ...], tuple[np.float32, ...]]


def between_samples() -> tuple[int, np.float32, Taps]:
    """How many samples on either side decide about a place, how many times as loud as samples a place is at most, and
    the taps: of the place in the middle, then of those in the middle of what is there, and once more (ITU-R BS.1770,
    annex 2, does it in one go). Each tap is for the sum of two that are equally far away."""
    low_pass = 2.0 * firwin(4 * _HALF + 1, 0.5, window=("kaiser", 5.0))
    half = low_pass[2 * _HALF + 1 :: 2]
    quarter, eighth = _halving(_QUARTER, 0.5 * np.pi), _halving(_EIGHTH, 0.25 * np.pi)
    at_once: NDArray[Any] = np.ones(1)
    for taps in (half, quarter, eighth):
        spread = np.zeros(2 * len(at_once) - 1)
        spread[::2] = at_once
        at_once = np.convolve(spread, _doubling(taps))
    most = max(np.abs(at_once[n::8]).sum() for n in range(8))
    return REACH, np.float32(most), (half.astype(np.float32), _floats(quarter), _floats(eighth))


def _halving(many: int, up_to: float) -> NDArray[np.float64]:
    """Taps whose sum over pairs of neighbours is the place in the middle, by least squares for what is slower than
    ``up_to`` (radians a sample)."""
    at = np.linspace(0.0, up_to, 512)[:, None]
    pairs = 2.0 * np.cos((np.arange(many) + 0.5) * at)
    return np.asarray(np.linalg.lstsq(pairs, np.ones(512), rcond=None)[0], np.float64)


def _doubling(taps: NDArray[np.float64]) -> NDArray[np.float64]:
    """The filter that leaves every other sample as it is and makes those between by ``taps``."""
    middle = 2 * len(taps) - 1
    out = np.zeros(2 * middle + 1)
    out[middle], out[middle + 1 :: 2], out[middle - 1 :: -2] = 1.0, taps, taps
    return out


def _floats(taps: NDArray[np.float64]) -> tuple[np.float32, ...]:
    return tuple(np.float32(tap) for tap in taps)

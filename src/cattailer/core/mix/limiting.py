"""The limiter at the end of each mix: how it looks for peaks, and how far ahead."""

import numpy as np
from numpy.typing import NDArray
from scipy.signal import firwin

SAMPLES, TRUE_PEAK = "samples only", "true peak"
WAYS = (TRUE_PEAK, SAMPLES)
LOOK_AHEAD_S, HOLD_S, RECOVER_S = 0.001, 0.0135, 0.12
"""The hold is longer than half a period of 40 Hz, so that a low tone is turned down and not bent."""
BETWEEN, REACH = 8, 10
"""Between two samples it looks at seven more places, each made of so many samples on either side."""
MARGIN_DB = 0.1
"""So far below the ceiling it stays, for what is between the places that it looks at."""


def look_ahead_samples(rate_hz: int) -> int:
    """So much later every mix leaves, whether it is limited or not: then nothing moves when one is switched."""
    return int(LOOK_AHEAD_S * rate_hz)


def through_samples(round_trip_samples: int, rate_hz: int) -> int:
    """So late ears get what is live and goes through the engine."""
    return round_trip_samples + look_ahead_samples(rate_hz)


def between_samples() -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The taps of the places between two samples, for sums and for differences of the two that are equally far from
    the middle, (4, reach) and (3, reach): a place and the one opposite are the sum and the difference of what comes
    out, and the place in the middle has sums alone. A low-pass at half the rate, as for sampling up (ITU-R BS.1770,
    annex 2)."""
    low_pass = BETWEEN * firwin(2 * REACH * BETWEEN + 1, 1.0 / BETWEEN, window=("kaiser", 5.0))
    middle, away = REACH * BETWEEN, BETWEEN * np.arange(REACH)
    before = np.array([low_pass[middle + n + away] for n in range(1, BETWEEN // 2 + 1)])
    after = np.array([low_pass[middle + n - BETWEEN - away] for n in range(1, BETWEEN // 2 + 1)])
    return ((before + after) / 2.0).astype(np.float32), ((before - after) / 2.0)[:-1].astype(np.float32)

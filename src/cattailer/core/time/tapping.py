"""A tempo from taps."""

import statistics
from dataclasses import dataclass

LEAST_TAPS = 4
NEW_START_S = 2.5
STRAY = 0.25
"""Intervals that differ from the median by more than this share are left out: a missed or doubled tap."""


@dataclass(frozen=True)
class Tapped:
    """``bpm`` from the median interval; ``spread_bpm`` is half of the middle spread; ``used`` of ``taps`` intervals."""

    bpm: float
    spread_bpm: float
    used: int
    taps: int

    @property
    def rounded(self) -> float:
        return float(round(self.bpm))


def tapped(times_s: list[float]) -> Tapped | None:
    """The tempo of the newest taps, or None while there are too few. A long pause begins again."""
    times = sorted(times_s)
    first = max((n for n in range(1, len(times)) if times[n] - times[n - 1] > NEW_START_S), default=0)
    times = times[first:]
    gaps = [b - a for a, b in zip(times, times[1:], strict=False) if b > a]
    if len(gaps) < LEAST_TAPS - 1:
        return None
    middle = statistics.median(gaps)
    kept = sorted(g for g in gaps if abs(g - middle) <= STRAY * middle)
    if not kept:
        return None
    best = statistics.median(kept)
    low, high = kept[len(kept) // 4], kept[(3 * len(kept)) // 4 if len(kept) > 1 else 0]
    return Tapped(60.0 / best, abs(60.0 / low - 60.0 / high) / 2.0, len(kept), len(times))

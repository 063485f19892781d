"""How long blocks took, kept without growing."""

import numpy as np
from numpy.typing import NDArray

KEPT = 4096


class BlockTimes:
    """The block path adds; others read. Times in microseconds."""

    def __init__(self, period: int, rate_hz: int) -> None:
        self._period_us = 1e6 * period / rate_hz
        self._half_second = max(1, rate_hz // (2 * period))
        self._times = np.zeros(KEPT)
        self.count = 0

    def add(self, seconds: float) -> None:
        self._times[self.count % KEPT] = 1e6 * seconds
        self.count += 1

    def kept(self) -> list[float]:
        return [float(t) for t in self._times[: min(self.count, KEPT)]]

    def usual_us(self) -> float:
        """What a usual block of the last half second took: one that was held up says nothing of the others."""
        recent = self._recent()
        return float(np.median(recent)) if len(recent) else 0.0

    def recent_load(self) -> float:
        """The share of the last half second that computing took."""
        recent = self._recent()
        return float(recent.mean()) / self._period_us if len(recent) else 0.0

    def _recent(self) -> NDArray[np.float64]:
        blocks = min(self.count, KEPT, self._half_second)
        return self._times[np.arange(self.count - blocks, self.count) % KEPT]

"""How long blocks took, kept without growing."""

import numpy as np

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

    def recent_us(self) -> float:
        """What a block of the last half second took."""
        blocks = min(self.count, KEPT, self._half_second)
        if not blocks:
            return 0.0
        places = np.arange(self.count - blocks, self.count) % KEPT
        return float(self._times[places].mean())

    def recent_load(self) -> float:
        """The share of the last half second that computing took."""
        return self.recent_us() / self._period_us

"""The mixes silent while 48 V settles: they go at once, without a click, and come back along a smooth curve."""

import numpy as np
from numpy.typing import NDArray

from cattailer.core.sound.curves import GLIDE_S, rising
from cattailer.engine.block.played import EDGE_S

SETTLE_S = 1.5


class Mute:
    """Belongs to the block path. Positions are ring samples."""

    def __init__(self, rate_hz: int) -> None:
        self._falling = np.append(rising(round(EDGE_S * rate_hz))[::-1], np.float32(0.0))
        self._rising = np.append(rising(round(GLIDE_S * rate_hz)), np.float32(1.0))
        self._settle = int(SETTLE_S * rate_hz)
        self._start = self._until = -1 << 60

    def begin(self, sample: int) -> None:
        """From there on; one that holds already only lasts longer."""
        if not self.holds(sample):
            self._start = sample
        self._until = sample + self._settle

    def holds(self, sample: int) -> bool:
        return sample < self._until

    def apply(self, mixes: NDArray[np.float32], sample: int) -> None:
        """To a block that begins at ``sample``."""
        if sample >= self._until + len(self._rising):
            return
        at = np.arange(sample, sample + mixes.shape[1])
        down = self._falling[np.clip(at - self._start, 0, len(self._falling) - 1)]
        up = self._rising[np.clip(at - self._until, 0, len(self._rising) - 1)]
        mixes *= np.where(at < self._until, down, up)

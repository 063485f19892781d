"""Reverbs: what was sent sounds in a space; nothing dry comes out."""

import numpy as np
from numpy.typing import NDArray
from pedalboard import Reverb

from cattailer.core.mix.flow import Insert

Floats = NDArray[np.float32]
_SPACES = {
    "pantry": {"room_size": 0.25, "damping": 0.75, "width": 0.6},
    "grain barn": {"room_size": 0.72, "damping": 0.55, "width": 1.0},
    "stone stair": {"room_size": 0.9, "damping": 0.15, "width": 0.85},
}


class Space:
    """One reverb, on a pair of rows."""

    latency_samples = 0

    def __init__(self, insert: Insert, first: int, rate_hz: int, period: int) -> None:
        assert insert.effects.reverb is not None
        self.key, self.name = insert.key, insert.effects.reverb.space
        self.rows = np.arange(insert.first - first, insert.first - first + insert.channels)
        self._own = slice(int(self.rows[0]), int(self.rows[-1]) + 1)
        self._rate, self._period = float(rate_hz), period
        self._reverb = Reverb(wet_level=1.0 / 3.0, dry_level=0.0, freeze_mode=0.0, **_SPACES[self.name])
        self._reverb.process(np.zeros((insert.channels, period), np.float32), self._rate, period, False)

    def share(self, other: "Space") -> None:
        """Sounds on in the same space, with the tail that is in it."""
        self._reverb = other._reverb

    def process(self, block: Floats) -> None:
        sound = np.ascontiguousarray(block[self._own])
        block[self._own] = self._reverb.process(sound, self._rate, self._period, False)

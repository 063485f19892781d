"""The limiter of each mix, which protects ears: nothing passes above its ceiling."""

import numpy as np
from numpy.typing import NDArray

from cattailer.engine.block.prepared import NO_LIMIT, Prepared
from cattailer.engine.effects import kernels

RECOVER_S = 0.12


class Limiter:
    """Belongs to the block path. ``least`` is the lowest gain of each mix, by its id, since somebody looked."""

    def __init__(self, rate_hz: int) -> None:
        self._recover = float(1.0 - np.exp(-1.0 / (RECOVER_S * rate_hz)))
        self._of: Prepared | None = None
        self._gain, self._least = np.ones(0), np.ones(0)
        self._works = False

    def apply(self, mixes: NDArray[np.float32], prepared: Prepared) -> None:
        if prepared is not self._of:
            self._go_on(prepared)
        if self._works:
            kernels.limit(mixes, prepared.ceilings, self._recover, self._gain, self._least)

    def taken(self) -> dict[int, float]:
        """The lowest gain of each mix since the last time, by the mix's id; 1 where it did nothing."""
        if self._of is None:
            return {}
        got = dict(zip((m.id for m in self._of.plan.mixes), self._least.tolist(), strict=False))
        self._least[:] = 1.0
        return got

    def _go_on(self, prepared: Prepared) -> None:
        before = {} if self._of is None else dict(
            zip((m.id for m in self._of.plan.mixes), zip(self._gain, self._least, strict=True), strict=True)
        )
        pairs = [before.get(m.id, (1.0, 1.0)) for m in prepared.plan.mixes]
        self._gain, self._least = np.array([p[0] for p in pairs]), np.array([p[1] for p in pairs])
        self._of = prepared
        # Where a limiter was switched off, its gain still has to come back.
        self._works = bool((prepared.ceilings < NO_LIMIT).any() or (self._gain < 1.0 - 1e-6).any())

"""Live inputs that reach outputs inside the interface: what its matrix is to be, from block to block."""

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.flow import gates
from cattailer.engine.block.prepared import Prepared
from cattailer.engine.driver import Driver

Floats = NDArray[np.float32]


class Direct:
    """Belongs to the block path. The driver is asked only when something changes; it glides there by itself."""

    def __init__(self, driver: Driver) -> None:
        self._driver = driver
        self._of: tuple[object, ...] = ()
        self._silent = True

    def note(self, prepared: Prepared, moment: str, position: int, muted: bool) -> None:
        """At a block's beginning. Nothing is heard while ``muted``."""
        flow = prepared.direct
        if flow is None and self._silent:
            return
        segment, lies = prepared.lying.at(position)
        of = (prepared, moment, segment, muted)
        if of == self._of:
            return
        self._of = of
        wanted = np.zeros((prepared.plan.outputs, prepared.plan.inputs), np.float32)
        if flow is not None and not muted:
            live = gates(flow, prepared.plan, moment)[0]
            heard = flow.live * live[lies[flow.track_of], np.arange(flow.channels)]
            hardware = flow.source < prepared.plan.inputs
            mixes = (flow.matrices[-1] * heard)[:, hardware]
            np.add.at(wanted.T, flow.source[hardware], (prepared.outputs @ mixes).T)
        self._silent = flow is None
        self._driver.set_direct(wanted)

"""The port that every interface driver fits."""

from collections.abc import Callable
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from cattailer.core.gear.interface import Profile
from cattailer.core.gear.latency import Latency
from cattailer.core.plan import Plan, Preamps
from cattailer.core.time.timeline import TempoMap

Floats = NDArray[np.float32]

Process = Callable[[Floats, Floats, int, int], tuple[bool, int, int, int]]
"""``process(inputs, outputs, sample, lost)`` handles one block.

``inputs`` and ``outputs`` are (channels, period) float32, converter words scaled to -1..1; the
driver owns them and they are good for this call only. ``sample`` counts from the opening and
includes ``lost`` samples that went missing just before this block. The answer is what the timeline
does from this block on: (rolling, position, seed of the pass, entry); drivers of real hardware ignore it.
Before the timeline position ``entry`` players are only counted in.
"""


class Driver(Protocol):
    """An open interface. ``latency`` is what it reports, in samples."""

    profile: Profile
    rate_hz: int
    period: int
    latency: Latency

    def run(self, process: Process, going: Callable[[], bool]) -> None:
        """Calls ``process`` block after block until ``going()`` is false."""

    def set_preamps(self, preamps: Preamps) -> None: ...
    def set_tempo(self, tempo: TempoMap) -> None: ...
    def set_through(self, sockets: frozenset[int]) -> None:
        """Which sockets (from 1) are heard in headphones or speakers by way of the engine."""

    def command(self, name: str, arguments: dict[str, Any]) -> None: ...
    def status(self) -> dict[str, Any]: ...


OpenDriver = Callable[[Plan], Driver]
"""Opens the interface that a plan asks for. Raises Refusal when it cannot."""

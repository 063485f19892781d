"""The port that every interface driver fits. ``docs/driver.md`` tells how to write one."""

from collections.abc import Callable
from typing import Any, NamedTuple, Protocol, runtime_checkable

import numpy as np
from numpy.typing import NDArray

from cattailer.core.gear.interface import Profile
from cattailer.core.gear.latency import Latency
from cattailer.core.plan import Plan, Preamps
from cattailer.core.standin import HeardAt, RoomState
from cattailer.core.time.timeline import TempoMap

Floats = NDArray[np.float32]


class Timeline(NamedTuple):
    """What the timeline does from a block on; drivers of real hardware ignore it.

    ``passes`` counts the starts, and seeds what the stand-in's players do differently each time. Before the position
    ``entry`` players are only counted in. What it plays leaves ``late_samples`` after its block.
    """

    rolling: bool
    position: int
    passes: int
    entry: int
    late_samples: int = 0


Process = Callable[[Floats, Floats, int, int], Timeline]
"""``process(inputs, outputs, sample, lost)`` handles one block.

``inputs`` and ``outputs`` are (channels, period) float32, converter words scaled to -1..1; the driver owns them and
they are good for this call only. ``sample`` counts from the opening and includes ``lost`` samples that went missing
just before this block.
"""


class Driver(Protocol):
    """An open interface. ``latency`` is what it reports, in samples."""

    profile: Profile
    rate_hz: int
    period: int
    latency: Latency

    def run(self, process: Process, going: Callable[[], bool]) -> None:
        """Calls ``process`` block after block until ``going()`` is false."""

    def set_preamps(self, preamps: Preamps) -> None:
        """What can be set from here; called from another thread than ``run``."""

    def set_direct(self, gains: Floats) -> None:
        """The matrix inside the interface, (outputs, inputs): called within ``process``, so it must return at once and
        hand on what takes time. It glides there. Never called where the profile has no Direct path."""


@runtime_checkable
class StandIn(Protocol):
    """What a driver has beside, when its sources are played and not real. The engine asks whether it is there."""

    def set_tempo(self, tempo: TempoMap) -> None: ...
    def set_heard(self, heard: tuple[HeardAt, ...]) -> None:
        """What is heard in headphones and speakers."""

    def command(self, name: str, arguments: dict[str, Any]) -> None:
        """The panel. Raises Refusal for what it does not know."""

    def room(self) -> RoomState: ...


OpenDriver = Callable[[Plan], Driver]
"""Opens the interface that a plan asks for. Raises Refusal when it cannot."""

"""What the engine answers."""

from dataclasses import dataclass, field

from cattailer.core.gear.dropouts import Dropout
from cattailer.core.standin import RoomState
from cattailer.core.transport import STOPPED


@dataclass(frozen=True)
class Status:
    """``session`` is None while none is open. ``run`` is the one that is captured, ``missing`` are files of takes that
    are not where they should be, ``drops`` the newest dropouts since the interface was opened, ``quiet`` the engine's
    threads that do not come round any more, ``limited`` the mixes whose limiter works most of the time; ``room`` is the
    stand-in's panel, None with a real interface. ``held_s`` is how much of every input can be kept after the fact, and
    ``held_mb`` the memory that takes. ``presence`` is by source channel: for how many seconds nothing came in, whether
    something loud did lately, whether it clipped."""

    session: int | None = None
    title: str = ""
    state: str = STOPPED
    revision: int = 0
    rate_hz: int = 0
    sockets: int = 0
    position: int = 0
    run: str | None = None
    dropouts: int = 0
    round_trip_samples: int = 0
    claimed_samples: int = 0
    missing: list[str] = field(default_factory=list)
    drops: list[Dropout] = field(default_factory=list)
    quiet: list[str] = field(default_factory=list)
    limited: list[int] = field(default_factory=list)
    room: RoomState | None = None
    held_s: float = 0.0
    held_mb: int = 0
    presence: list[tuple[int, bool, bool]] = field(default_factory=list)


@dataclass(frozen=True)
class Stopped:
    """``journal`` is that of the run which stopping ended; it is closed beside, and an event tells when."""

    status: Status
    journal: str | None


@dataclass(frozen=True)
class Sound:
    """A stretch of the ring from ``start`` on: ``pcm`` is little-endian 32-bit float, row after row. The ring has come
    as far as ``written``."""

    start: int
    count: int
    rate_hz: int
    written: int
    pcm: bytes


@dataclass(frozen=True)
class Probed:
    """Ring samples at which each repetition begins; none when no block came."""

    starts: list[int]
    claimed_samples: int
    period: int


@dataclass(frozen=True)
class Loads:
    """Times of blocks in microseconds: as they are now, and measured for each buffer size."""

    period: int
    now: list[float]
    measured: dict[int, list[float]]


@dataclass(frozen=True)
class Printed:
    journal: str

"""What goes on at the Levels stage of a session right now; and nothing outlives the web process."""

import threading
from dataclasses import dataclass, field

from cattailer.core.sound.rowsound import RowListener, RowSound


@dataclass
class LiveCheck:
    """A sound check, or a measurement of noise ("noise"), that listens. ``seconds_wanted`` 0 goes on until ended."""

    sockets: tuple[int, ...] = ()
    phase: str = "check"
    seconds_wanted: float = 0.0
    listener: RowListener | None = None
    running: bool = False

    @property
    def seconds(self) -> float:
        """Of sound; a computer that stalls makes a check longer, not shorter of sound."""
        return self.listener.seconds if self.listener else 0.0


@dataclass
class LiveKnob:
    """A knob that a hand is to turn by ``wanted_db``; ``moved_db`` is how far the level has moved."""

    socket: int
    wanted_db: float
    before_dbfs: float | None = None
    moved_db: float = 0.0
    steady: int = 0


@dataclass
class LiveLevels:
    """``covered`` names what was never quiet enough to listen for hum in. ``count`` goes up with every change, so that
    pages know. ``lock`` guards everything here."""

    sounds: list[RowSound] = field(default_factory=list)
    clips: dict[int, int] = field(default_factory=dict)
    covered: tuple[str, ...] = ()
    check: LiveCheck = field(default_factory=LiveCheck)
    knob: LiveKnob | None = None
    wanted_until: float = 0.0
    count: int = 0
    lock: threading.RLock = field(default_factory=threading.RLock)

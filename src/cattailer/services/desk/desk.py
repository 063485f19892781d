"""What every service works with."""

import os
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import structlog

from cattailer.core.errors import Away, NotNow, Refusal
from cattailer.core.gear.interface import Profile, missing
from cattailer.core.transport import STOPPED, captures
from cattailer.engine.messages.answers import Status
from cattailer.engine.messages.commands import AWAY, GetStatus
from cattailer.engine.process.client import EngineClient
from cattailer.media import profile_toml
from cattailer.media.mark import read_mark
from cattailer.services.desk.listening import Listening
from cattailer.services.desk.live import Live
from cattailer.store.database import Database

log = structlog.get_logger("services")


@dataclass
class Desk:
    """The database, the engine, the media folder, and the folder of people's own interface profiles.

    ``media_id`` is what the mark in the media folder says, empty where nobody looks. ``quiet_work`` names what works in
    the background and does not come round any more. ``live`` keeps what goes on in sessions right now, by type;
    ``listening`` hears the rows of the open session for those who ask.
    """

    database: Database
    engine: EngineClient
    media: Path
    telemetry: str = ""
    profiles_folder: Path | None = None
    media_id: str = ""
    quiet_work: Callable[[], list[str]] = list
    live: Live = field(default_factory=Live, init=False)
    listening: Listening = field(init=False)
    _read: tuple[object, dict[str, Profile], dict[str, str]] | None = field(default=None, init=False)

    def __post_init__(self) -> None:
        self.listening = Listening(self.engine)

    @classmethod
    def from_environment(cls) -> "Desk":
        """As the supervisor set it up for its children."""
        return cls(
            Database(os.environ["CATTAILER_DATABASE"]),
            EngineClient(os.environ["CATTAILER_COMMANDS"]),
            Path(os.environ["CATTAILER_MEDIA"]),
            os.environ["CATTAILER_TELEMETRY"],
            Path(os.environ["CATTAILER_PROFILES"]),
            os.environ.get("CATTAILER_MEDIA_ID", ""),
        )

    def _profiles(self) -> tuple[dict[str, Profile], dict[str, str]]:
        """Read again when a file in the folder changed."""
        folder = self.profiles_folder
        files = sorted(folder.glob("*.toml")) if folder is not None and folder.is_dir() else []
        seen = [(p.name, p.stat().st_mtime_ns) for p in files if p.is_file()]
        if self._read is None or self._read[0] != seen:
            self._read = (seen, *profile_toml.in_folder(folder))
        return self._read[1], self._read[2]

    @property
    def profiles(self) -> dict[str, Profile]:
        return self._profiles()[0]

    @property
    def wrong_profiles(self) -> dict[str, str]:
        """What is wrong with profile files that cannot be used, by file name."""
        return self._profiles()[1]

    def profile(self, key: str) -> Profile:
        """Raises Refusal for one that is not here."""
        known = self.profiles
        if key not in known:
            raise Refusal(f"No interface is called {key!r}; known are {', '.join(sorted(known))}.")
        return known[key]

    def profile_or_blank(self, key: str) -> Profile:
        """For showing a session whose profile is gone."""
        return self.profiles.get(key) or missing(key)

    def engine_state(self) -> Status:
        """The engine's status; its state is ``AWAY`` when it does not answer."""
        try:
            return self.engine.status()
        except Away:
            return Status(state=AWAY)

    def media_there(self) -> bool:
        """Whether the media folder is the one that belongs here, and not the empty place where its disk was mounted."""
        return not self.media_id or read_mark(self.media) == self.media_id

    def check_media(self) -> None:
        """Raises NotNow when the media folder is gone."""
        if not self.media_there():
            raise NotNow(
                f"The media folder {self.media} is not the one that belongs here; perhaps its disk is not there. "
                "Nothing was captured, and nothing is made anew. Put it back, then try again."
            )

    def check_hardware(self, session: int, what: str) -> None:
        """Raises NotNow when this session rolls: rate, buffer and interface cannot change then."""
        state = self.engine_state()
        if state.session == session and state.state not in (STOPPED, AWAY):
            raise NotNow(f"The timeline rolls, so {what} must wait. Stop first; nothing was changed.")

    def forbid_while_capturing(self, session: int, what: str) -> None:
        """Raises NotNow when this session is capturing."""
        state = self.engine_state()
        if state.session == session and captures(state.state):
            raise NotNow(f"A capture runs, so {what} must wait. Stop capturing first; nothing was changed.")


ENGINE_GONE = "The engine has stopped responding. What was captured is safe. Restarting it takes a few seconds."
NOTHING_OPEN = "No session is open in the studio, so the clock and the meters stand still."


@dataclass(frozen=True)
class EngineHealth:
    """Why no frames come, in words; empty where they are about to. ``idle``: it runs no session."""

    words: str = ""
    idle: bool = False


def engine_health(desk: Desk, timeout_s: float) -> EngineHealth:
    try:
        state = desk.engine.ask(GetStatus(), timeout_s)
    except Refusal:
        return EngineHealth(ENGINE_GONE)
    return EngineHealth(NOTHING_OPEN, idle=True) if state.session is None else EngineHealth()

"""What every service works with."""

import os
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any

import structlog

from cattailer.core.errors import Away, NotNow, Refusal
from cattailer.core.interface import Profile
from cattailer.engine.client import EngineClient
from cattailer.media import profile_toml
from cattailer.store.database import Database

log = structlog.get_logger("services")


@dataclass
class Desk:
    """The database, the engine, the media folder and the interface profiles."""

    database: Database
    engine: EngineClient
    media: Path
    telemetry: str = ""
    profiles: dict[str, Profile] = field(default_factory=profile_toml.shipped)

    @classmethod
    def from_environment(cls) -> "Desk":
        """As the supervisor set it up for its children."""
        return cls(
            Database(os.environ["CATTAILER_DATABASE"]),
            EngineClient(os.environ["CATTAILER_COMMANDS"]),
            Path(os.environ["CATTAILER_MEDIA"]),
            os.environ["CATTAILER_TELEMETRY"],
        )

    @cached_property
    def profile_names(self) -> dict[str, str]:
        return {key: p.name for key, p in self.profiles.items()}

    def profile(self, key: str) -> Profile:
        if key not in self.profiles:
            raise Refusal(f"No interface is called {key!r}; known are {', '.join(sorted(self.profiles))}.")
        return self.profiles[key]

    def engine_state(self) -> dict[str, Any]:
        """The engine's status, or an empty one when it is away."""
        try:
            return dict(self.engine.ask("status", 2.0))
        except Away:
            return {"session": None, "state": "away"}

    def forbid_while_capturing(self, session: int, what: str) -> None:
        """Raises NotNow when this session is capturing."""
        state = self.engine_state()
        if state["session"] == session and state["state"] == "capturing":
            raise NotNow(f"A capture runs, so {what} must wait. Stop capturing first; nothing was changed.")

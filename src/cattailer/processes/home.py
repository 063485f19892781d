"""Where state lives: ``CATTAILER_HOME``, by default in the XDG state directory; for root, where its own user works."""

import fcntl
import os
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from cattailer.core.errors import Refusal
from cattailer.media import mark

STATE = Path("/var/lib/cattailer")
"""Where the system user's home is, which works for root (``ownuser.py``)."""


@dataclass(frozen=True)
class Home:
    root: Path

    @property
    def database(self) -> Path:
        return self.root / "db"

    @property
    def media(self) -> Path:
        return self.root / "media"

    @property
    def profiles(self) -> Path:
        return self.root / "profiles"

    @property
    def logs(self) -> Path:
        return self.root / "logs"

    @property
    def keys(self) -> Path:
        """Secrets and the certificate."""
        return self.root / "keys"

    @property
    def engine_lock(self) -> Path:
        """Held by the engine that captures into the media folder."""
        return (self.media if self.media.is_dir() else self.root) / ".engine.lock"

    @property
    def lock(self) -> Path:
        return self.root / "serve.lock"


def find() -> Home:
    given = os.environ.get("CATTAILER_HOME")
    if given:
        return Home(Path(given).expanduser().absolute())
    if os.geteuid() == 0:
        if caller := called_by():
            return Home(Path(f"~{caller}").expanduser() / ".local/state/cattailer")
        if STATE.exists():
            return Home(STATE)
    state = os.environ.get("XDG_STATE_HOME") or "~/.local/state"
    return Home(Path(state).expanduser().absolute() / "cattailer")


def called_by() -> str:
    """Who called it by ``sudo``; empty for root itself, and for anybody else."""
    name = os.environ.get("SUDO_USER", "") if os.geteuid() == 0 else ""
    return "" if name == "root" else name


def prepare() -> Home:
    """The home with its folders; a media folder that was there once is not made again. Raises Refusal when the home
    cannot be written."""
    home = find()
    try:
        for folder in (home.root, home.profiles, home.logs):
            folder.mkdir(parents=True, exist_ok=True)
        home.root.chmod(0o700)
        media_id(home)
        probe = home.root / ".probe"
        probe.write_bytes(bytes(65536))
        probe.unlink()
    except OSError as why:
        raise cannot_be_written(home.root, why) from why
    return home


def cannot_be_written(root: Path, why: OSError) -> Refusal:
    return Refusal(
        f"The folder {root} cannot be written ({why.strerror}). Free some space there, "
        f"or set CATTAILER_HOME to a folder that is yours."
    )


def media_id(home: Home) -> str:
    """What the mark in the media folder should say. Raises OSError."""
    return mark.settle(home.media, home.root / "media.id")


def lock(home: Home) -> IO[str]:
    """Claims the home for this process, until the file is closed. Raises Refusal when it is taken."""
    file = open(home.lock, "a+")  # noqa: SIM115 - the caller keeps it
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        file.close()
        raise Refusal(
            f"Cattailer is already running with {home.root}. Stop that one, or set CATTAILER_HOME to another folder."
        ) from None
    return file

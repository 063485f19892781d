"""Checking a machine: database, port, disk speed, clock, packages."""

import os
import shutil
import socket
import statistics
import time
from dataclasses import dataclass
from importlib import metadata
from pathlib import Path

from cattailer.core.errors import Refusal
from cattailer.core.wording import counted
from cattailer.engine.process.client import EngineClient
from cattailer.media import recovery
from cattailer.media.mark import read_mark
from cattailer.processes.home import Home
from cattailer.processes.postgres import find_programs

NEEDED_MB_S = 20.0
STALL_MS = 100.0


@dataclass(frozen=True)
class Finding:
    what: str
    good: bool
    says: str


def no_engine() -> EngineClient:
    """A client of nobody, for jobs that run while everything else is stopped."""
    return EngineClient("ipc:///nonexistent/cattailer", 0.05)


def examine(home: Home) -> list[Finding]:
    return [_packages(), _database(), _decoder(), _port(), _disk(home), _media(home), _clock()]


def _packages() -> Finding:
    missing = []
    for name in ("flask", "sqlalchemy", "numpy", "scipy", "pyzmq", "uvicorn", "psycopg"):
        try:
            metadata.version(name)
        except metadata.PackageNotFoundError:
            missing.append(name)
    if missing:
        return Finding("packages", False, f"missing: {', '.join(missing)}. Remove .venv and run ./cattailer demo.")
    return Finding("packages", True, "all there")


def _database() -> Finding:
    try:
        return Finding("database", True, f"PostgreSQL in {find_programs()}")
    except Refusal as why:
        return Finding("database", False, why.message)


def _decoder() -> Finding:
    found = shutil.which("ffmpeg")
    if found is None:
        return Finding("decoder", False, "ffmpeg is missing, so no FLAC, Ogg or MP3 can be imported. Install ffmpeg.")
    return Finding("decoder", True, f"ffmpeg in {Path(found).parent}")


def _port() -> Finding:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", 8080))
        except OSError as why:
            return Finding("port", False, f"8080: {why.strerror}. Cattailer may be running; else use --port.")
    return Finding("port", True, "8080 is free")


def _disk(home: Home) -> Finding:
    """Writes 32 MB as a capture would and takes them away again."""
    try:
        home.root.mkdir(parents=True, exist_ok=True)
        probe = home.root / ".disk-probe"
        block = os.urandom(1 << 20)
        began = time.monotonic()
        with open(probe, "wb", buffering=0) as file:
            for _ in range(32):
                file.write(block)
            os.fsync(file.fileno())
        rate = 32 / (time.monotonic() - began)
        probe.unlink()
    except OSError as why:
        return Finding("disk", False, f"{home.root}: {why.strerror}. Set CATTAILER_HOME to a folder that is yours.")
    free_gb = shutil.disk_usage(home.root).free / 1e9
    says = f"{rate:.0f} MB/s, {free_gb:.0f} GB free; ten tracks need 1.5 MB/s"
    return Finding("disk", rate >= NEEDED_MB_S and free_gb > 1, says)


def _media(home: Home) -> Finding:
    """The media folder is the one that belongs here, and everything in it can be read."""
    noted = home.root / "media.id"
    if noted.exists() and read_mark(home.media) != noted.read_text().strip():
        return Finding("media", False, f"{home.media} is not the folder that belongs here. Is its disk mounted?")
    troubles = recovery.look(home.media)
    if troubles:
        named = "; ".join(f"{t.path}: {t.says}" for t in troubles[:20])
        return Finding("media", False, f"{counted(len(troubles), 'file')} cannot be used. {named}")
    return Finding("media", True, "every journal and take can be read")


def _clock() -> Finding:
    """How late one-millisecond sleeps end, over a second."""
    late = []
    until = time.monotonic() + 1.0
    while time.monotonic() < until:
        before = time.monotonic()
        time.sleep(0.001)
        late.append(1000 * (time.monotonic() - before - 0.001))
    says = f"wakes {statistics.median(late):.2f} ms late, at worst {max(late):.1f} ms; the queue absorbs 500 ms"
    return Finding("clock", max(late) < STALL_MS * 4, says)

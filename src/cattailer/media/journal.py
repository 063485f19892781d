"""The run journal: what a capture is doing, one JSON line at a time, beside its files.

The journal alone is enough to enter a run: after a crash, or when the database was away.
"""

import fcntl
import json
import os
from dataclasses import asdict, dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

SUFFIX = ".journal.jsonl"
LEAD_IN_FOLDER = "head"
"""Below a run's folder: what was counted in before it. The name on disk is older than the word."""


@dataclass(frozen=True)
class RunFile:
    """A file of a run: its track, and the source channels (from 0) that feed its channels; ``feed`` says them in words.
    ``source`` is who plays there, ``gain_db`` the preamp's gain less its pad, where there is one."""

    track: int
    name: str
    path: str
    channels: int
    inputs: tuple[int, ...]
    source: str = ""
    gain_db: float | None = None
    feed: str = ""


@dataclass(frozen=True)
class RunHeader:
    """The first line. ``start`` is the timeline position of every file's first sample.

    ``lead_in_of`` is the run before which these files lie: they hold what was counted in. Hardware inputs were placed
    ``round_trip_samples`` earlier than they came; the driver claimed ``claimed_samples``. 0 where it is unknown.
    """

    run: str
    number: int
    session: int
    title: str
    rate_hz: int
    bits: int
    start: int
    began_at: str
    files: tuple[RunFile, ...]
    note: str = ""
    lead_in_of: str = ""
    period: int = 0
    round_trip_samples: int = 0
    claimed_samples: int = 0


@dataclass(frozen=True)
class Dropout:
    """``samples`` missing from ``offset`` in the run's files, filled with silence; ``load`` is the share of the time
    just before that computing took."""

    offset: int
    samples: int
    load: float = 0.0


@dataclass(frozen=True)
class FileEnd:
    path: str
    peak_dbfs: float
    clips: int
    crc32: str


@dataclass
class RunStory:
    """A journal as read back. ``ended`` is False when it broke off."""

    path: Path
    header: RunHeader
    samples: int = 0
    dropouts: list[Dropout] = field(default_factory=list)
    message: str = ""
    ended: bool = False
    recovered: bool = False
    files: list[FileEnd] = field(default_factory=list)

    @property
    def folder(self) -> Path:
        return self.path.parent


LEAD_IN_KEY = "head_of"
"""What ``lead_in_of`` has been called in journals from the first one on."""


def header_of(data: dict[str, Any]) -> RunHeader:
    """A header from plain values. Raises KeyError or TypeError when they are none."""
    rest = dict(data)
    rest["files"] = tuple(RunFile(**{**f, "inputs": tuple(f["inputs"])}) for f in rest["files"])
    if LEAD_IN_KEY in rest:
        rest["lead_in_of"] = rest.pop(LEAD_IN_KEY)
    return RunHeader(**rest)


def plain_header(header: RunHeader) -> dict[str, Any]:
    """As ``header_of`` reads it."""
    plain = asdict(header)
    plain[LEAD_IN_KEY] = plain.pop("lead_in_of")
    return plain


class JournalWriter:
    """Appends lines and holds a lock for as long as the run is live."""

    def __init__(self, path: Path, header: RunHeader) -> None:
        self.path = path
        self._file = open(path, "x", encoding="utf-8")  # noqa: SIM115 - held while the run is live
        fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        self._line({"kind": "run", **plain_header(header)})

    def synced(self, samples: int) -> None:
        self._line({"kind": "synced", "samples": samples})

    def dropout(self, dropout: Dropout) -> None:
        self._line({"kind": "dropout", **asdict(dropout)})

    def end(self, samples: int, files: list[FileEnd], message: str = "", recovered: bool = False) -> None:
        self._line(end_line(samples, files, message, recovered))
        self._file.close()

    def close(self) -> None:
        self._file.close()

    def _line(self, data: dict[str, Any]) -> None:
        self._file.write(json.dumps(data) + "\n")
        self._file.flush()
        os.fsync(self._file.fileno())


def end_line(samples: int, files: list[FileEnd], message: str, recovered: bool) -> dict[str, Any]:
    return {
        "kind": "end",
        "samples": samples,
        "message": message,
        "recovered": recovered,
        "at": datetime.now().astimezone().isoformat(timespec="seconds"),
        "files": [asdict(f) for f in files],
    }


def append_end(path: Path, samples: int, files: list[FileEnd], message: str) -> None:
    """Ends a journal that broke off."""
    with open(path, "a", encoding="utf-8") as file:
        file.write("\n" + json.dumps(end_line(samples, files, message, True)) + "\n")
        file.flush()
        os.fsync(file.fileno())


def read(path: Path) -> RunStory | None:
    """The story so far, or None when not even the first line is whole. A half line is passed over."""
    story: RunStory | None = None
    for text in path.read_text("utf-8", "replace").split("\n"):
        try:
            line = json.loads(text)
            kind = line.pop("kind")
        except (ValueError, KeyError, AttributeError, TypeError):
            continue
        if kind == "run":
            story = RunStory(path, header_of(line))
        elif story is None:
            return None
        elif kind == "synced":
            story.samples = line["samples"]
        elif kind == "dropout":
            story.dropouts.append(Dropout(**line))
        elif kind == "end":
            story.ended = True
            story.samples = line["samples"]
            story.message = line["message"]
            story.recovered = line["recovered"]
            story.files = [FileEnd(**f) for f in line["files"]]
    return story


def is_live(path: Path) -> bool:
    """Whether some process still writes this journal."""
    with open(path, "rb") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
        except OSError:
            return True
        fcntl.flock(file, fcntl.LOCK_UN)
    return False


def find_all(media: Path) -> list[Path]:
    """Every journal below a media folder, oldest first."""
    return sorted(media.rglob(f"*{SUFFIX}"), key=lambda p: p.stat().st_mtime) if media.is_dir() else []

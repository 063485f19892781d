"""The run journal: what a capture is doing, one JSON line at a time, beside its files.

The journal alone is enough to enter a run: after a crash, or when the database was away.
"""

import fcntl
import json
import os
from contextlib import suppress
from dataclasses import asdict, dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter, ValidationError

from cattailer.media.disk import REAL, Disk, begin, write_all

SUFFIX = ".journal.jsonl"
LEAD_IN_FOLDER = "head"
"""Below a run's folder: what was counted in before it. The name on disk is older than the word."""
LEAD_IN_MARK = "-head"
"""Ends the run of a lead-in's journal; before it stands the run that it lies before."""
LEAD_OUT_FOLDER, LEAD_OUT_MARK = "tail", "-tail"
"""The same for what lies right after a punch."""
LATE_MARK = "-late"
"""Is in the run of a journal that holds tracks which were armed while their run was captured."""


@dataclass(frozen=True)
class RunFile:
    """A file of a run: its track, and the source channels (from 0) that feed its channels; ``feed`` says them in words.
    ``source`` is who plays there, ``gain_db`` the preamp's gain less its pad, where there is one. ``prints``: the
    track's effects are captured too. ``preamp`` is how its preamp was set when the run began, in words."""

    track: int
    name: str
    path: str
    channels: int
    inputs: tuple[int, ...]
    source: str = ""
    gain_db: float | None = None
    feed: str = ""
    prints: bool = False
    preamp: str = ""


@dataclass(frozen=True)
class RunHeader:
    """The first line. ``start`` is the timeline position of every file's first sample.

    ``lead_in_of`` is the run before which these files lie: they hold what was counted in, or what lay before a punch;
    after it where ``after`` says so. Hardware inputs were placed ``round_trip_samples`` earlier than they came; the
    driver claimed ``claimed_samples``. 0 where it is unknown.

    ``roll`` is the first of the runs that one press of Capture made, and ``pass_number`` counts them; ``goes_on``: it
    begins with the sample after the last of the one before. ``joins`` is the run whose tracks these are too: they were
    armed later. ``over`` is as in ``core.takes.over``; ``waved`` is what the ready check had found."""

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
    after: bool = False
    roll: str = ""
    pass_number: int = 1
    joins: str = ""
    over: str = ""
    waved: tuple[str, ...] = ()
    goes_on: bool = False

    @property
    def apart(self) -> bool:
        """Whether it belongs to another run, and is not one itself."""
        return bool(self.lead_in_of or self.joins)


DISK = "disk"
"""The cause of what was lost because the disk was too slow to take it."""


@dataclass(frozen=True)
class Dropout:
    """``samples`` missing from ``offset`` in the run's files, filled with silence; ``load`` is the share of the time
    just before that computing took. ``cause`` is empty where the interface lost them."""

    offset: int
    samples: int
    load: float = 0.0
    cause: str = ""


@dataclass(frozen=True)
class FileEnd:
    """What became of a file. ``samples`` is its own length; None in old journals, where all were as long as the run.
    ``clips_at`` is where it clipped, in samples; the first of them."""

    path: str
    peak_dbfs: float
    clips: int
    crc32: str
    samples: int | None = None
    clips_at: tuple[int, ...] = ()


@dataclass
class RunStory:
    """A journal as read back. ``ended`` is False when it broke off. ``whole`` is how many samples were written to every
    file when they began to be closed; None before that."""

    path: Path
    header: RunHeader
    samples: int = 0
    dropouts: list[Dropout] = field(default_factory=list)
    message: str = ""
    ended: bool = False
    recovered: bool = False
    files: list[FileEnd] = field(default_factory=list)
    whole: int | None = None

    @property
    def folder(self) -> Path:
        return self.path.parent


class Unreadable(ValueError):
    """A journal that does not say which run it is of; the message says why."""


LEAD_IN_KEY = "head_of"
"""What ``lead_in_of`` has been called in journals from the first one on."""
_HEADER, _DROPOUT, _END = TypeAdapter(RunHeader), TypeAdapter(Dropout), TypeAdapter(FileEnd)


def header_of(data: dict[str, Any]) -> RunHeader:
    """A header from plain values; what is not known is passed over. Raises ValueError when something is missing."""
    rest = dict(data)
    if LEAD_IN_KEY in rest:
        rest["lead_in_of"] = rest.pop(LEAD_IN_KEY)
    return _HEADER.validate_python(rest)


def plain_header(header: RunHeader) -> dict[str, Any]:
    """As ``header_of`` reads it."""
    plain = asdict(header)
    plain[LEAD_IN_KEY] = plain.pop("lead_in_of")
    return plain


class JournalWriter:
    """Appends lines and holds a lock for as long as the run is live. Every method raises OSError."""

    def __init__(self, path: Path, header: RunHeader, disk: Disk = REAL) -> None:
        self.path = path
        first = _text({"kind": "run", **plain_header(header)})
        self._file = begin(disk, path, first, locked=True)
        self._bytes = len(first)

    def is_there(self) -> bool:
        """Whether the journal still lies where it was begun."""
        return self._file.is_at(self.path)

    def synced(self, samples: int) -> None:
        self._line({"kind": "synced", "samples": samples})

    def whole(self, samples: int) -> None:
        """Every file holds so much, and nothing more will be written to it but what follows the sound."""
        self._line({"kind": "whole", "samples": samples})

    def dropout(self, dropout: Dropout) -> None:
        self._line({"kind": "dropout", **asdict(dropout)}, sync=False)

    def end(self, samples: int, files: list[FileEnd], message: str = "", recovered: bool = False) -> None:
        self._line(end_line(samples, files, message, recovered))

    def close(self) -> None:
        self._file.close()

    def _line(self, data: dict[str, Any], sync: bool = True) -> None:
        """A line that could not be written whole is written over by the next."""
        text = _text(data)
        write_all(self._file, text, self._bytes)
        if sync:
            self._file.sync()
        self._bytes += len(text)


def _text(data: dict[str, Any]) -> bytes:
    return (json.dumps(data) + "\n").encode()


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
    """Ends a journal that broke off. Raises OSError."""
    file = REAL.append(path)
    try:
        text = "\n" + json.dumps(end_line(samples, files, message, True)) + "\n"
        write_all(file, text.encode(), path.stat().st_size)
        file.sync()
    finally:
        file.close()


def read(path: Path) -> RunStory:
    """The story so far. A line that is broken, or of a kind that is not known, is passed over.

    Raises Unreadable when no line says which run it is, OSError.
    """
    story: RunStory | None = None
    why = "it has no first line that can be read"
    for text in path.read_text("utf-8", "replace").split("\n"):
        try:
            line = json.loads(text)
            kind = line.pop("kind")
            if kind == "run" and story is None:
                story = RunStory(path, header_of(line))
            elif story is not None:
                _continue(story, kind, line)
        except ValidationError as wrong:
            why = "; ".join(f"{'.'.join(map(str, e['loc']))}: {e['msg'].lower()}" for e in wrong.errors()[:3])
        except (ValueError, KeyError, AttributeError, TypeError, RecursionError):
            continue
    if story is None:
        raise Unreadable(f"The journal {path.name} cannot be read ({why}).")
    return story


def _continue(story: RunStory, kind: str, line: dict[str, Any]) -> None:
    if kind == "synced":
        story.samples = max(0, int(line["samples"]))
    elif kind == "whole":
        story.whole = max(0, int(line["samples"]))
    elif kind == "dropout":
        story.dropouts.append(_DROPOUT.validate_python(line))
    elif kind == "end":
        story.samples = max(0, int(line["samples"]))
        story.message = str(line.get("message", ""))
        story.recovered = bool(line.get("recovered", False))
        story.files = [_END.validate_python(f) for f in line.get("files", [])]
        story.ended = True


_FIRST, _TAIL = 1 << 16, 1 << 18


def glance(path: Path) -> tuple[str, bool]:
    """The run of a journal and whether it has ended, from its first and last lines alone; the run is empty where that
    cannot be told so quickly. Raises OSError."""
    with open(path, "rb") as file:
        first = file.readline(_FIRST)
        file.seek(max(0, path.stat().st_size - _TAIL))
        last = file.read().rstrip().rpartition(b"\n")[2]
    try:
        begun, ended = json.loads(first), json.loads(last)
        return str(begun["run"]), ended.get("kind") == "end"
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
        return "", False


def is_live(path: Path) -> bool:
    """Whether some process still writes this journal. Raises OSError."""
    with open(path, "rb") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
        except OSError:
            return True
        fcntl.flock(file, fcntl.LOCK_UN)
    return False


def find_all(media: Path) -> list[Path]:
    """Every journal below a media folder, oldest first; what goes away meanwhile is passed over."""
    found = []
    for folder, _, names in os.walk(media):  # unlike globbing, it passes over folders that go while it walks
        for name in names:
            if name.endswith(SUFFIX):
                path = Path(folder, name)
                with suppress(OSError):
                    found.append((path.stat().st_mtime, path))
    return [path for _, path in sorted(found)]

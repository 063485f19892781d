"""A second copy of a run's files, made from what was written of them: the first is only read."""

import os
import time
from pathlib import Path

from cattailer.media import journal
from cattailer.media.bwf import HEADER_BYTES

CHUNK = 1 << 20
LEFT_OUT = {"overview"}
"""Folders of what can be made again."""
RESERVE = ".reserve"


def files_of(run: Path) -> list[Path]:
    """Of a run's folder, with what was counted in and what lay after it."""
    found = []
    for folder, folders, names in os.walk(run):
        folders[:] = [name for name in folders if name not in LEFT_OUT]
        found += [Path(folder, name) for name in names if name.endswith((".wav", journal.SUFFIX))]
    return sorted(found)


def follow(run: Path, target: Path) -> int:
    """Brings the copy of a run as far as the run is; returns how many bytes that were. Raises OSError."""
    return sum(_follow_file(path, target / path.relative_to(run)) for path in files_of(run))


def _follow_file(source: Path, target: Path) -> int:
    """What is longer than the copy is appended; the head, which a file is given anew as it grows, is written again."""
    target.parent.mkdir(parents=True, exist_ok=True)
    done = 0
    with open(source, "rb") as read, open(target, "r+b" if target.exists() else "w+b") as write:
        length, there = os.fstat(read.fileno()).st_size, os.fstat(write.fileno()).st_size
        if there > length:
            write.truncate(length)
        head = read.read(min(HEADER_BYTES, length))
        write.write(head)
        at = max(len(head), min(there, length))
        read.seek(at)
        write.seek(at)
        while at < length and (data := read.read(min(CHUNK, length - at))):
            write.write(data)
            at, done = at + len(data), done + len(data)
        write.flush()
        os.fdatasync(write.fileno())
    return done


def finish(run: Path, target: Path) -> None:
    """Writes what follows the sound, once nobody writes the run any more: ends of files may have been written over.
    Raises OSError."""
    follow(run, target)
    for path in files_of(run):
        copy = target / path.relative_to(run)
        with open(path, "rb") as read, open(copy, "r+b") as write:
            at = max(0, os.fstat(read.fileno()).st_size - CHUNK)
            read.seek(at)
            write.seek(at)
            write.write(read.read())
            write.flush()
            os.fsync(write.fileno())


def is_over(run: Path, settled_s: float = 0.0) -> bool:
    """Whether every journal of a run has ended, so many seconds ago, and nobody writes it any more. Raises OSError."""
    found = [path for path in files_of(run) if path.name.endswith(journal.SUFFIX)]
    newest = max((path.stat().st_mtime for path in found), default=0.0)
    over = all(journal.glance(path)[1] and not journal.is_live(path) for path in found)
    return bool(found) and over and time.time() - newest >= settled_s

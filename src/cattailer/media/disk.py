"""What capturing asks of a disk, in one place, so that each operation can be made to fail, stall or be forgotten.

All of it is positioned: an append never depends on where somebody else left a file's position, so one thread may write
while another brings what is written to the disk.
"""

import errno
import fcntl
import os
from contextlib import suppress
from pathlib import Path
from typing import Protocol


class OpenFile(Protocol):
    """An open file. Every method raises OSError."""

    def write_at(self, data: bytes | memoryview, offset: int) -> int:
        """How many bytes the disk took; perhaps fewer than it was given."""

    def truncate(self, size: int) -> None: ...
    def sync(self) -> None: ...
    def close(self) -> None: ...
    def lock(self) -> None:
        """Says for as long as it is open that somebody writes it."""

    def is_at(self, path: Path) -> bool:
        """Whether this file is what lies at ``path``."""


class Disk(Protocol):
    """Every method raises OSError."""

    def create(self, path: Path) -> OpenFile:
        """A file that must not exist yet: a take never overwrites anything."""

    def append(self, path: Path) -> OpenFile:
        """A file that may exist."""

    def make_folder(self, path: Path) -> None:
        """One folder, in one that exists; fine when it is there."""

    def sync_folder(self, path: Path) -> None: ...
    def remove(self, path: Path) -> None:
        """A file, or an empty folder; fine when it is gone."""


class RealFile:
    def __init__(self, path: Path, flags: int) -> None:
        self._descriptor = os.open(path, flags | os.O_WRONLY | os.O_CREAT | os.O_CLOEXEC, 0o666)

    def write_at(self, data: bytes | memoryview, offset: int) -> int:
        return os.pwrite(self._descriptor, data, offset)

    def truncate(self, size: int) -> None:
        os.ftruncate(self._descriptor, size)

    def sync(self) -> None:
        os.fdatasync(self._descriptor)

    def close(self) -> None:
        if self._descriptor >= 0:
            descriptor, self._descriptor = self._descriptor, -1
            os.close(descriptor)

    def lock(self) -> None:
        fcntl.flock(self._descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)

    def is_at(self, path: Path) -> bool:
        try:
            return os.path.samestat(os.fstat(self._descriptor), os.stat(path))
        except FileNotFoundError:
            return False


class RealDisk:
    def create(self, path: Path) -> OpenFile:
        return RealFile(path, os.O_EXCL)

    def append(self, path: Path) -> OpenFile:
        return RealFile(path, 0)

    def make_folder(self, path: Path) -> None:
        path.mkdir(exist_ok=True)

    def sync_folder(self, path: Path) -> None:
        descriptor = os.open(path, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
        try:
            os.fsync(descriptor)
        finally:
            os.close(descriptor)

    def remove(self, path: Path) -> None:
        if path.is_dir():
            path.rmdir()
        else:
            path.unlink(missing_ok=True)


REAL = RealDisk()


def write_all(file: OpenFile, data: bytes | memoryview, offset: int) -> None:
    """Writes all of it, in as many parts as the disk wants. Raises OSError, also when the disk takes nothing."""
    view = memoryview(data)
    while view:
        taken = file.write_at(view, offset)
        if taken <= 0:
            raise OSError(errno.EIO, "The disk took nothing")
        view, offset = view[taken:], offset + taken


def begin(disk: Disk, path: Path, head: bytes, locked: bool = False) -> OpenFile:
    """A new file with its first bytes in it, or none: raises FileExistsError or OSError, and leaves nothing behind."""
    file = disk.create(path)
    try:
        if locked:
            file.lock()
        write_all(file, head, 0)
    except OSError:
        with suppress(OSError):
            file.close()
        with suppress(OSError):
            disk.remove(path)
        raise
    return file

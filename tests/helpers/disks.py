"""Disks that fail, take half, stall, or forget what was not synced."""

import errno
import shutil
from collections.abc import Callable
from pathlib import Path

from cattailer.media.disk import REAL, OpenFile

Hook = Callable[[str, Path, int], int | None]
"""Called before each operation with its name, its path and by how many bytes it makes a file longer: raises OSError, or
answers how many bytes of what is written the disk takes; None is all."""


class FaultyDisk:
    def __init__(self, hook: Hook) -> None:
        self._hook = hook

    def create(self, path: Path) -> OpenFile:
        self._hook("create", path, 0)
        return _FaultyFile(REAL.create(path), path, self._hook)

    def append(self, path: Path) -> OpenFile:
        self._hook("append", path, 0)
        return _FaultyFile(REAL.append(path), path, self._hook)

    def make_folder(self, path: Path) -> None:
        self._hook("make_folder", path, 0)
        REAL.make_folder(path)

    def sync_folder(self, path: Path) -> None:
        self._hook("sync_folder", path, 0)
        REAL.sync_folder(path)

    def remove(self, path: Path) -> None:
        self._hook("remove", path, 0)
        REAL.remove(path)


class _FaultyFile:
    def __init__(self, inner: OpenFile, path: Path, hook: Hook) -> None:
        self._inner, self._path, self._hook = inner, path, hook

    def write_at(self, data: bytes | memoryview, offset: int) -> int:
        longer = max(0, offset + len(data) - self._path.stat().st_size) if self._path.exists() else 0
        most = self._hook("write_at", self._path, longer)
        return self._inner.write_at(data if most is None else data[:most], offset)

    def truncate(self, size: int) -> None:
        self._hook("truncate", self._path, 0)
        self._inner.truncate(size)

    def sync(self) -> None:
        self._hook("sync", self._path, 0)
        self._inner.sync()

    def close(self) -> None:
        self._inner.close()

    def lock(self) -> None:
        self._inner.lock()

    def is_at(self, path: Path) -> bool:
        self._hook("is_at", path, 0)
        return self._inner.is_at(path)


def full_after(room_bytes: int) -> FaultyDisk:
    """Once everything together is so much longer, it takes no more; what a file has already can be written over, and
    what is removed makes room."""
    left = [room_bytes]

    def hook(what: str, path: Path, longer: int) -> int | None:
        if what == "remove" and path.is_file():
            left[0] += path.stat().st_size
        if what in ("create", "make_folder") and left[0] <= 0:
            raise OSError(errno.ENOSPC, "No space left on device")
        if what == "write_at" and longer:
            if left[0] <= 0:
                raise OSError(errno.ENOSPC, "No space left on device")
            left[0] -= longer
            return max(1, longer + left[0]) if left[0] < 0 else None
        return None

    return FaultyDisk(hook)


class ForgetfulDisk(FaultyDisk):
    """Keeps beside each folder what a power cut would leave: contents as they were synced last, and only names that a
    synced folder holds."""

    def __init__(self, root: Path, kept: Path) -> None:
        super().__init__(self._note)
        self._root, self._kept = root, kept
        self._contents: dict[Path, bytes] = {}
        self._entries: set[Path] = set()

    def _note(self, what: str, path: Path, _: int) -> None:
        if what == "sync_folder":
            inside = {p for p in path.iterdir()} if path.is_dir() else set()
            self._entries = {p for p in self._entries if p.parent != path} | inside
        return

    def create(self, path: Path) -> OpenFile:
        return _ForgetfulFile(REAL.create(path), path, self._contents)

    def append(self, path: Path) -> OpenFile:
        return _ForgetfulFile(REAL.append(path), path, self._contents)

    def cut(self) -> None:
        """The power goes: what is left stands in the folder ``kept``."""
        for path in sorted(self._entries):
            inside = path.relative_to(self._root)
            if any(self._root / parent not in self._entries for parent in inside.parents if str(parent) != "."):
                continue
            target = self._kept / inside
            if path.is_dir():
                target.mkdir(parents=True, exist_ok=True)
            else:
                target.parent.mkdir(parents=True, exist_ok=True)
                target.write_bytes(self._contents.get(path, b""))
        shutil.rmtree(self._root)


class _ForgetfulFile(_FaultyFile):
    def __init__(self, inner: OpenFile, path: Path, contents: dict[Path, bytes]) -> None:
        super().__init__(inner, path, lambda *_: None)
        self._contents = contents

    def sync(self) -> None:
        super().sync()
        self._contents[self._path] = self._path.read_bytes()

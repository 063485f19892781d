"""Processes that end with the one that started them, and those that a killed one left behind."""

import ctypes
import fcntl
import os
import signal
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import IO

from cattailer.core.errors import Refusal

_PR_SET_PDEATHSIG = 1
_END_S = 20.0
START_S = 120.0
"""A busy machine is slow to start a process; one that cannot start ends, and that is said at once."""


def ending_with_parent(number: int) -> Callable[[], None]:
    """What a child does before it becomes its program: the kernel sends it that signal when its parent dies."""
    libc, parent = ctypes.CDLL(None), os.getpid()

    def settle() -> None:
        libc.prctl(_PR_SET_PDEATHSIG, number, 0, 0, 0)
        if os.getppid() != parent:  # it died meanwhile
            os.kill(os.getpid(), number)

    return settle


def claim(path: Path) -> IO[str] | None:
    """A lock for as long as the file is open, with the number of this process in it; None when another holds it."""
    file = open(path, "a+")  # noqa: SIM115 - the caller keeps it
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        file.close()
        return None
    file.truncate(0)
    file.write(f"{os.getpid()}\n")
    file.flush()
    return file


def end_holder(path: Path, what: str, mark: str) -> None:
    """Ends the process that a killed Cattailer left behind with that lock: asked first, killed when it does not go.

    Only a process that holds the lock, says so in it and has ``mark`` in its command line is signalled. Raises Refusal
    when the lock is held by another.
    """
    until = time.monotonic() + _END_S
    asked = 0.0
    while path.exists():
        file = claim(path)
        if file is not None:
            file.truncate(0)
            file.close()
            return
        pid = _holder(path, mark)
        late = time.monotonic() > until
        if pid is None and late:
            raise Refusal(f"The {what} of another Cattailer still holds {path}. Stop it, then start again.", 503)
        if pid is not None and (late or not asked):
            asked = time.monotonic()
            with suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL if late else signal.SIGTERM)
            until = asked + _END_S
        time.sleep(0.05)


def _holder(path: Path, mark: str) -> int | None:
    try:
        pid = int(path.read_text().strip())
        command = Path(f"/proc/{pid}/cmdline").read_bytes().replace(b"\0", b" ")
    except (OSError, ValueError):
        return None
    return pid if mark.encode() in command else None

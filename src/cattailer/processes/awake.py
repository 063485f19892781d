"""Keeps the machine from sleeping while something is captured, with what the system has for that."""

import shutil
import signal
import subprocess
from collections.abc import Callable
from contextlib import suppress

from cattailer.core.errors import Refusal
from cattailer.core.transport import captures
from cattailer.engine.process.client import EngineClient
from cattailer.processes.children import ending_with_parent

INHIBIT = (
    "systemd-inhibit", "--what=sleep:idle:handle-lid-switch", "--who=Cattailer", "--why=A capture runs", "sleep",
    "infinity",
)
Start = Callable[[], "subprocess.Popen[bytes]"]


def start_inhibiting() -> "subprocess.Popen[bytes]":
    """Raises OSError."""
    return subprocess.Popen(
        INHIBIT, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        preexec_fn=ending_with_parent(signal.SIGTERM),
    )


class Awake:
    """``look`` is called now and then; a machine without ``systemd-inhibit`` sleeps as it likes."""

    def __init__(self, engine: EngineClient, start: Start = start_inhibiting) -> None:
        self._engine, self._start = engine, start
        self._holder: subprocess.Popen[bytes] | None = None
        self.can = start is not start_inhibiting or shutil.which(INHIBIT[0]) is not None

    def look(self) -> None:
        if not self.can:
            return
        capturing = False
        with suppress(Refusal):
            capturing = captures(self._engine.status().state)
        if capturing and self._holder is None:
            with suppress(OSError):
                self._holder = self._start()
        elif not capturing:
            self.let_go()

    def let_go(self) -> None:
        if self._holder is not None:
            self._holder.terminate()
            with suppress(subprocess.TimeoutExpired):
                self._holder.wait(2)
            self._holder = None

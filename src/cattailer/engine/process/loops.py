"""Background loops that cannot end by themselves, and whose life can be looked at."""

import threading
import time
from collections.abc import Callable
from contextlib import suppress

import structlog

log = structlog.get_logger("loops")
QUIET_S = 6.0


class Loops:
    """``quiet`` names the loops that did not come round lately: stuck, or gone."""

    def __init__(self, quiet_s: float = QUIET_S) -> None:
        self._beats: dict[str, float] = {}
        self._threads: list[threading.Thread] = []
        self._quiet_s = quiet_s
        self._going = True

    def start(self, name: str, work: Callable[[], None], pause_s: float) -> None:
        """Calls ``work`` again and again, whatever it raises."""
        self._beats[name] = time.monotonic()
        thread = threading.Thread(target=self._run, args=(name, work, pause_s), name=name, daemon=True)
        self._threads.append(thread)
        thread.start()

    def _run(self, name: str, work: Callable[[], None], pause_s: float) -> None:
        while self._going:
            try:
                work()
            except Exception:
                with suppress(Exception):  # a log that cannot be written must not end what it tells of
                    log.exception("a loop stumbled", loop=name)
            self._beats[name] = time.monotonic()
            time.sleep(pause_s)

    def beat(self, name: str) -> None:
        """From within work that goes on for long: it is still alive."""
        self._beats[name] = time.monotonic()

    def quiet(self) -> list[str]:
        now = time.monotonic()
        return [name for name, beat in list(self._beats.items()) if now - beat > self._quiet_s]

    def stop(self, seconds: float = 5.0) -> None:
        self._going = False
        for thread in self._threads:
            if thread is not threading.current_thread():
                thread.join(seconds)

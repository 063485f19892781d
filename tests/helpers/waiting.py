"""Waiting for what is meant, however slow the machine is."""

import time
from collections.abc import Iterator
from contextlib import contextmanager

from cattailer.engine.messages.commands import GetSound
from cattailer.engine.process.client import EngineClient
from cattailer.liveroom.clock import WallClock

PATIENT_S = 60.0
"""How long tests wait for what should come at once: a machine with many tests stalls."""

AT_REST, IN_A_HURRY = 0.5, 6.0


class QuickClock(WallClock):
    """Time that passes quickly while a test waits, and slowly while it works, for then the engine would only take the
    processor from it. What is captured is the same."""

    hurried = False

    def start(self, rate_hz: int, period: int, sample: int) -> None:
        super().start(rate_hz, period, sample)
        self._due_s, self._end = 0.0, sample

    def wait(self, end: int) -> int:
        pace = IN_A_HURRY if QuickClock.hurried else AT_REST
        now_s = time.monotonic()
        self._due_s, self._end = max(self._due_s, now_s - 0.1) + (end - self._end) / self._rate / pace, end
        time.sleep(max(0.0, self._due_s - now_s))
        return 0


@contextmanager
def hurry() -> Iterator[None]:
    """For what waits by itself for time to pass."""
    before, QuickClock.hurried = QuickClock.hurried, True
    try:
        yield
    finally:
        QuickClock.hurried = before


def patient_client(commands: str) -> EngineClient:
    return EngineClient(commands, timeout_s=PATIENT_S)


def pass_time(client: EngineClient, seconds: float) -> None:
    """Waits until the open interface has delivered that much more, however slow the machine is."""

    def arrived() -> tuple[int, int]:
        sound = client.ask(GetSound([0], 1))
        return sound.written, sound.rate_hz

    start, rate_hz = arrived()
    wait_for(lambda: arrived()[0] - start >= seconds * rate_hz, PATIENT_S + seconds)


def wait_for(what: object, seconds: float = PATIENT_S) -> object:
    """Calls ``what`` until it answers something true; fails after ``seconds``."""
    until = time.monotonic() + seconds
    with hurry():
        while time.monotonic() < until:
            found = what()  # type: ignore[operator]
            if found:
                return found
            time.sleep(0.05)
    raise AssertionError(f"waited {seconds} s for {what}")

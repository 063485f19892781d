"""Waiting for what is meant, however slow the machine is."""

import time

from cattailer.engine.messages.commands import GetSound
from cattailer.engine.process.client import EngineClient

PATIENT_S = 60.0
"""How long tests wait for what should come at once: a machine with many tests stalls."""


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
    while time.monotonic() < until:
        found = what()  # type: ignore[operator]
        if found:
            return found
        time.sleep(0.05)
    raise AssertionError(f"waited {seconds} s for {what}")

"""Two clocks for the stand-in's hardware; the code that they drive is the same."""

import time
from typing import Protocol


class Clock(Protocol):
    """Paces the blocks. ``wait`` returns once samples up to ``end`` are there, and how many were
    lost meanwhile because nobody came for them in time."""

    virtual: bool

    def start(self, rate_hz: int, period: int, sample: int) -> None: ...
    def wait(self, end: int) -> int: ...


class VirtualClock:
    """Runs block after block as fast as it can; loses nothing, unless told to.

    ``losses`` gives pairs (room sample, samples lost there), for exact tests of dropouts.
    """

    virtual = True

    def __init__(self, losses: dict[int, int] | None = None) -> None:
        self._losses = dict(losses or {})

    def start(self, rate_hz: int, period: int, sample: int) -> None:
        """Nothing to set."""

    def wait(self, end: int) -> int:
        if not self._losses:
            return 0
        due = [at for at in self._losses if at < end]
        return sum(self._losses.pop(at) for at in due)


class WallClock:
    """Real time, with the hardware's queue: up to ``queue_ms`` late nothing is lost."""

    virtual = False

    def __init__(self, queue_ms: float = 500.0) -> None:
        self._queue_s = queue_ms / 1000.0
        self._began = 0.0
        self._rate = 48000
        self._period = 128

    def start(self, rate_hz: int, period: int, sample: int) -> None:
        self._rate, self._period = rate_hz, period
        self._began = time.monotonic() - sample / rate_hz

    def wait(self, end: int) -> int:
        ahead = self._began + end / self._rate - time.monotonic()
        if ahead > 0:
            time.sleep(ahead)
        elif -ahead > self._queue_s:
            return int(-ahead * self._rate) // self._period * self._period
        return 0

"""Small functions that other threads hand over, to run in the block path between two blocks."""

import time
from collections import deque
from collections.abc import Callable
from typing import Any, TypeVar

from cattailer.core.errors import NotNow

T = TypeVar("T")
NO_SOUND = "The interface does not deliver sound, so nothing was changed. Try again."


class Requests:
    def __init__(self) -> None:
        self._asked: deque[tuple[Callable[[], Any], list[Any]]] = deque()
        self._closed = False

    def answer(self) -> None:
        """In the block path: runs what was asked."""
        while self._asked:
            ask, answer = self._asked.popleft()
            try:
                answer.append((True, ask()))
            except Exception as why:  # handed to the thread that asked
                answer.append((False, why))

    def close(self) -> None:
        """No block will come any more: whoever waits, or asks later, is told at once."""
        self._closed = True

    def soon(self, ask: Callable[[], Any]) -> None:
        """Asks without waiting."""
        self._asked.append((ask, []))

    def wait_for(self, ask: Callable[[], T], timeout_s: float) -> T:
        """Asks, and returns what ``ask`` returned. Raises what it raises, and NotNow when no block comes; ``ask`` is
        withdrawn then, so it will not run later either."""
        answer: list[Any] = []
        asked = (ask, answer)
        self._asked.append(asked)
        until = time.monotonic() + timeout_s
        while not answer:
            if self._closed or time.monotonic() > until:
                try:
                    self._asked.remove(asked)
                except ValueError:  # it is being carried out at this moment
                    until = time.monotonic() + timeout_s
                else:
                    raise NotNow(NO_SOUND)
            time.sleep(0.0005)
        good, value = answer[0]
        if not good:
            raise value
        return value  # type: ignore[no-any-return]

"""Small functions that other threads hand over, to run in the block path between two blocks."""

import time
from collections import deque
from collections.abc import Callable
from typing import Any, TypeVar

from cattailer.core.errors import NotNow

T = TypeVar("T")


class Requests:
    def __init__(self) -> None:
        self._asked: deque[tuple[Callable[[], Any], list[Any]]] = deque()

    def answer(self) -> None:
        """In the block path: runs what was asked."""
        while self._asked:
            ask, answer = self._asked.popleft()
            try:
                answer.append((True, ask()))
            except Exception as why:  # handed to the thread that asked
                answer.append((False, why))

    def soon(self, ask: Callable[[], Any]) -> None:
        """Asks without waiting."""
        self._asked.append((ask, []))

    def wait_for(self, ask: Callable[[], T], timeout_s: float) -> T:
        """Asks, and returns what ``ask`` returned. Raises what it raises, and NotNow when no block comes."""
        answer: list[Any] = []
        self._asked.append((ask, answer))
        until = time.monotonic() + timeout_s
        while not answer:
            if time.monotonic() > until:
                raise NotNow("The interface does not deliver sound, so nothing was changed. Try again.")
            time.sleep(0.0005)
        good, value = answer[0]
        if not good:
            raise value
        return value  # type: ignore[no-any-return]

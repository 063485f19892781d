"""What goes on in sessions right now, kept by session and type; and nothing outlives the process.

A stage defines a type of its own and asks for it here; nobody else needs to know the type.
"""

import threading
from typing import Any, TypeVar

T = TypeVar("T")


class Live:
    """One lock guards the locker; what is inside guards itself."""

    def __init__(self) -> None:
        self._kept: dict[tuple[type[Any], int], Any] = {}
        self._lock = threading.Lock()

    def of(self, session_id: int, kind: type[T]) -> T:
        """A session's value of that type; made, without arguments, when there is none."""
        with self._lock:
            if (kind, session_id) not in self._kept:
                self._kept[kind, session_id] = kind()
            found: T = self._kept[kind, session_id]
            return found

    def find(self, session_id: int, kind: type[T]) -> T | None:
        with self._lock:
            found: T | None = self._kept.get((kind, session_id))
            return found

    def all(self, kind: type[T]) -> list[T]:
        """The values of that type, of every session."""
        with self._lock:
            return [value for (of, _), value in self._kept.items() if of is kind]

    def put(self, session_id: int, value: object) -> None:
        """In place of what a session had of that type."""
        with self._lock:
            self._kept[type(value), session_id] = value

    def forget(self, session_id: int) -> None:
        """Everything of a session."""
        with self._lock:
            self._kept = {key: value for key, value in self._kept.items() if key[1] != session_id}

    def take(self, session_id: int, kind: type[T]) -> T | None:
        """What was kept, which is not kept any more."""
        with self._lock:
            found: T | None = self._kept.pop((kind, session_id), None)
            return found

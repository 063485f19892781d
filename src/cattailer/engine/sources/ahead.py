"""What is worked out beforehand, around the places to which the timeline may go next."""

from bisect import bisect_right
from collections.abc import Callable, Sequence
from typing import Generic, TypeVar

W = TypeVar("W")


class Ahead(Generic[W]):
    """``make(start, stop)`` is called off the block path; ``find`` only looks up. Windows reach ``behind`` samples
    before a place and ``ahead`` after it; one that reaches less than half as far ahead is followed by another."""

    def __init__(self, make: Callable[[int, int], W], behind: int, ahead: int) -> None:
        self._make, self._behind, self._ahead = make, behind, ahead
        self._windows: list[tuple[int, int, W]] = []
        self.late = 0
        """How often something was looked for that was not there."""

    def pump(self, places: Sequence[int]) -> None:
        """Makes what is missing around these places, and lets go of what is near none of them."""
        kept = [w for w in self._windows if any(w[0] <= p < w[1] for p in places)]
        for place in places:
            if not any(first <= place and place + self._ahead // 2 <= stop for first, stop, _ in kept):
                first, stop = place - self._behind, place + self._ahead
                kept.append((first, stop, self._make(first, stop)))
                # The newest comes first, so that it is found where two overlap; swapped in whole.
                self._windows = [kept[-1], *kept[:-1]]
        if len(kept) != len(self._windows):
            self._windows = kept[::-1]

    def find(self, start: int, stop: int) -> W | None:
        """In the block path: the window that holds [start, stop)."""
        for first, last, made in self._windows:
            if first <= start and stop <= last:
                return made
        self.late += 1
        return None


class Events(Generic[W]):
    """Things that begin at samples, in order."""

    def __init__(self, events: list[tuple[int, W]]) -> None:
        self._starts = [at for at, _ in events]
        self._events = events

    def after(self, sample: int, stop: int) -> list[tuple[int, W]]:
        """Those that begin after ``sample`` and before ``stop``."""
        return self._events[bisect_right(self._starts, sample) : bisect_right(self._starts, stop - 1)]

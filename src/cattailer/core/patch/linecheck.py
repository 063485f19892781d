"""The line check: who was asked for sound, where sound rose, and what that means.

Levels come in many times a second. A row is heard when its level rises well above where it lay just
before; when several rise at once (the others hear it too), the one that rose most is meant.
"""

from collections import deque
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

RISE_DB = 12.0
LEAST_DBFS = -75.0
"""Low enough for a dynamic microphone whose gain nobody has set yet."""
NEAR_DB = 3.0
"""The asked row counts as heard when it rose within this of the one that rose most."""
_PAST = 15
_SETTLE = 4

Levels = NDArray[np.float64]


class RiseFinder:
    """Finds the row at which sound newly rose. Feed it levels in dBFS, shape (rows,), again and again."""

    def __init__(self) -> None:
        self._past: deque[Levels] = deque(maxlen=_PAST)
        self._rising: Levels | None = None
        self._left = 0

    def hear(self, levels_dbfs: Levels) -> Levels | None:
        """How far each row rose in dB (0 where it did not), once something has risen; else None.

        After an answer it listens afresh, from the levels as they are then.
        """
        now = np.nan_to_num(np.asarray(levels_dbfs, np.float64), nan=-200.0, posinf=0.0, neginf=-200.0)
        if self._past and len(self._past[-1]) != len(now):
            self.forget()
        if len(self._past) < 3:
            self._past.append(now)
            return None
        floor = np.maximum(np.min(self._past, axis=0), -100.0)
        rise = np.where(now >= LEAST_DBFS, now - floor, 0.0)
        if self._rising is None:
            if rise.max(initial=0.0) < RISE_DB:
                self._past.append(now)
                return None
            self._rising, self._left = np.zeros_like(now), _SETTLE
        self._rising = np.maximum(self._rising, rise)
        self._left -= 1
        if self._left:
            return None
        answer = np.where(self._rising >= RISE_DB, self._rising, 0.0)
        self.forget()
        return answer

    def forget(self) -> None:
        self._past.clear()
        self._rising = None


@dataclass(frozen=True)
class Stop:
    """One stop on the walk: a socket as printed, and what should be there."""

    socket: int
    name: str


@dataclass(frozen=True)
class Walk:
    """How far the walk is. ``heard_at`` is where sound rose instead, if it did; 0 for nowhere yet."""

    stops: tuple[Stop, ...]
    at: int = 0
    done: frozenset[int] = frozenset()
    heard_at: int = 0

    @property
    def asked(self) -> Stop | None:
        return self.stops[self.at] if self.at < len(self.stops) else None

    @property
    def over(self) -> bool:
        return self.asked is None

    def hear(self, rises_db: Levels) -> "Walk":
        """What follows when sound rose; ``rises_db`` is by input, counted from 0."""
        asked = self.asked
        if asked is None or not rises_db.any():
            return self
        most = float(rises_db.max())
        if asked.socket <= len(rises_db) and rises_db[asked.socket - 1] >= max(RISE_DB, most - NEAR_DB):
            return self.tick()
        return replace(self, heard_at=int(rises_db.argmax()) + 1)

    def tick(self) -> "Walk":
        """The asked row is in order; on to the next one that is not."""
        asked = self.asked
        if asked is None:
            return self
        done = self.done | {asked.socket}
        order = [*range(self.at + 1, len(self.stops)), *range(self.at)]
        left = next((n for n in order if self.stops[n].socket not in done), len(self.stops))
        return replace(self, at=left, done=done, heard_at=0)

    def skip(self) -> "Walk":
        """Leaves the asked row for later; after the last one the walk is over."""
        left = next((n for n in range(self.at + 1, len(self.stops)) if self.stops[n].socket not in self.done),
                    len(self.stops))
        return replace(self, at=left, heard_at=0)

    def go_to(self, socket: int) -> "Walk":
        """Asks for one row (again)."""
        at = next((n for n, s in enumerate(self.stops) if s.socket == socket), self.at)
        return replace(self, at=at, done=self.done - {socket}, heard_at=0)

    def words(
        self, names: dict[int, str], dark: frozenset[int], condensers: frozenset[int], quiet: bool = False
    ) -> str:
        """What the page says. ``names`` are what is listed by socket; ``dark`` are sockets without 48 V,
        ``condensers`` those that list one; ``quiet`` when the asked row has been silent for a while."""
        asked = self.asked
        if asked is None:
            left = len(self.stops) - len(self.done)
            missed = f"{left} of {len(self.stops)} rows were not heard."
            return missed if left else "Every row was heard where it belongs."
        if self.heard_at:
            other = names.get(self.heard_at, "")
            return f"Heard at {self.heard_at}{f': swapped with {other}?' if other else ', where nothing is listed.'}"
        ask = f"Ask for sound at: {asked.name}, socket {asked.socket}."
        if asked.socket in condensers & dark:
            return f"{ask} It is a condenser without 48 V and stays silent."
        if quiet and asked.socket in condensers and dark:
            return f"{ask} Nothing yet: if it sits in a socket without 48 V ({_or(sorted(dark))}), it is silent there."
        return f"{ask} Nothing yet." if quiet else ask


def _or(sockets: list[int]) -> str:
    shown = [str(s) for s in sockets[:6]] + (["…"] if len(sockets) > 6 else [])
    return ", ".join(shown)


def loudest(rises_db: Levels) -> int | None:
    """The socket at which sound rose most, for "which one is this?"."""
    return int(rises_db.argmax()) + 1 if rises_db.any() else None

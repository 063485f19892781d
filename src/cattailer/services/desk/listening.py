"""Hearing the rows of the open session: the sound is fetched from the engine's ring a few times a second,
and handed to those who asked for it. The engine does nothing but copy."""

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import structlog
from numpy.typing import NDArray

from cattailer.core.errors import Away, NotNow, Refusal
from cattailer.core.sound.rowsound import arrived
from cattailer.engine.messages.commands import GetSound, GetStatus
from cattailer.engine.process.client import EngineClient

log = structlog.get_logger("services")
FETCH_S = 0.25
Floats = NDArray[np.float32]


@dataclass(frozen=True)
class Heard:
    """A stretch of sockets' sound, shape (sockets, samples), without what a dropout took. ``lost`` when a part is
    missing, here or before, ``fresh`` when it has nothing to do with what came before: another session, rate or
    interface."""

    session: int
    rate_hz: int
    sound: Floats
    lost: bool = False
    fresh: bool = False


_Place = tuple[tuple[int, int, int], int]
"""(session, rate, sockets), and the ring sample that comes next."""

Hear = Callable[[Heard], bool]
"""Takes a stretch; answers whether it wants more."""


class Listening:
    """Fetches while somebody listens. ``hear`` functions run one after another in its thread."""

    def __init__(self, engine: EngineClient) -> None:
        self._engine = engine
        self._asked: dict[str, Hear] = {}
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None

    def listen(self, name: str, hear: Hear) -> None:
        """From now on; a listener of the same name gives way."""
        with self._lock:
            self._asked[name] = hear
            if self._thread is None:
                self._thread = threading.Thread(target=self._run, name="listening", daemon=True)
                self._thread.start()

    def leave(self, name: str) -> None:
        with self._lock:
            self._asked.pop(name, None)

    def _run(self) -> None:
        at: _Place | None = None
        while True:
            began = time.monotonic()
            with self._lock:
                asked = dict(self._asked)
                if not asked:
                    self._thread = None
                    return
            try:
                at = self._fetch(asked, at)
            except Away:  # late is not gone: it goes on where it was
                log.info("the engine is late")
            except Refusal:
                at = None
            time.sleep(max(0.02, FETCH_S - (time.monotonic() - began)))

    def _fetch(self, asked: dict[str, Hear], at: _Place | None) -> _Place | None:
        state = self._engine.ask(GetStatus(), 5.0)
        if state.session is None:
            return None
        place = (state.session, state.rate_hz, state.sockets)
        start = at[1] if at is not None and at[0] == place else None
        got = sound_of(self._engine, list(range(place[2])), round(4 * FETCH_S * place[1]), start)
        if not got.count:
            # An engine that was opened again counts from 0 again, and may have nothing yet.
            return None if start is None or got.written < start else (place, got.start)
        sound = arrived(got.sound)
        if not sound.shape[1] and state.dropouts:
            return (place, got.start + got.count)
        sound = sound if sound.shape[1] else got.sound
        cut = sound.shape[1] < got.count or (start is not None and got.start != start)
        heard = Heard(place[0], got.rate_hz, sound, cut, start is None)
        for name, hear in asked.items():
            if not self._hears(name, hear, heard):
                with self._lock:
                    if self._asked.get(name) is hear:
                        del self._asked[name]
        return (place, got.start + got.count)

    @staticmethod
    def _hears(name: str, hear: Hear, heard: Heard) -> bool:
        """One listener that stumbles does not silence the others."""
        try:
            return hear(heard)
        except Exception:
            log.exception("a listener stumbled", name=name)
            return False


@dataclass(frozen=True)
class Stretch:
    start: int
    count: int
    rate_hz: int
    written: int
    sound: Floats


def sound_of(engine: EngineClient, rows: list[int], count: int, start: int | None = None) -> Stretch:
    """Sound of some source channels from the engine's ring, the newest if ``start`` is None. Raises Refusal."""
    got = engine.ask(GetSound(rows, count, start), 5.0)
    sound = np.frombuffer(got.pcm, "<f4").reshape(len(rows), got.count).astype(np.float32, copy=False)
    return Stretch(got.start, got.count, got.rate_hz, got.written, sound)


def newest(engine: EngineClient, session_id: int, rows: list[int], seconds: float) -> Stretch:
    """The last ``seconds`` of some source channels. Raises NotNow when the session is not the open one."""
    state = engine.ask(GetStatus(), 5.0)
    if state.session != session_id:
        raise NotNow("Another session is open in the engine. Press Roll or Capture to open this one.")
    return sound_of(engine, rows, max(1, round(seconds * state.rate_hz)))

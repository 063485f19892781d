"""What a page moves: heard at once, written down when it lets go, or when it is gone."""

import threading
import time
from collections.abc import Sequence
from contextlib import suppress

from cattailer.core.errors import Refusal
from cattailer.core.mix.moving import Move
from cattailer.core.mix.stepping import Gestures, Step
from cattailer.services.desk.desk import Desk
from cattailer.services.stages.listen import gestures, guiding

FORGOTTEN_S = 2.0


class Hand:
    """``move`` is quick, and may be called while anything else waits for the engine or the database in a thread."""

    def __init__(self, desk: Desk, session_id: int) -> None:
        self._desk, self._session = desk, session_id
        self._moved = self._newest = Gestures()
        self._lock = threading.Lock()
        self._at = 0.0
        self._holds = False

    def move(self, moves: Sequence[Move | Step]) -> None:
        """Of moves that come within a moment the newest counts; steps add up."""
        with self._lock:
            self._newest = self._newest.then(moves)
        self._at = time.monotonic()

    @property
    def busy(self) -> bool:
        """Whether ``send`` has anything to send, or ``let_go`` anything that was forgotten."""
        return bool(self._newest) or self.forgotten

    @property
    def forgotten(self) -> bool:
        """Whether a page has moved something, and neither moves nor lets go of it."""
        return bool(self._moved) and time.monotonic() - self._at > FORGOTTEN_S

    def send(self) -> None:
        """Lets it be heard. Raises Refusal for what cannot be moved; that is forgotten."""
        with self._lock:
            newest, self._newest = self._newest, Gestures()
        if newest:
            gestures.move(self._desk, self._session, newest.moves)
            self._moved = self._moved.then(newest.moves)

    def hold(self, keys: list[int]) -> None:
        """Guide notes. Raises Refusal."""
        self._holds = bool(keys)
        guiding.hold(self._desk, self._session, keys)

    def leave(self) -> None:
        """The page is gone."""
        if self._holds:
            with suppress(Refusal):
                self.hold([])
        with suppress(Refusal):
            self.let_go()

    def let_go(self) -> int | None:
        """The revision that holds what was moved; None where nothing was. Raises Refusal."""
        self.send()
        moved, self._moved = self._moved.moves, Gestures()
        return gestures.settle(self._desk, self._session, moved)

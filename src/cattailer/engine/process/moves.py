"""Controls that move, on their way from pages to what is heard."""

import threading
import time
from collections.abc import Sequence

from cattailer.core.errors import Refusal
from cattailer.core.mix.moving import Move, moved
from cattailer.core.mix.stepping import Step, value_in
from cattailer.core.plan import Plan

HELD_S = 4.0
"""So long a value that was moved holds against plans that say otherwise: its page writes it down before."""


class Moves:
    """What was moved lately, the newest value of each control. Moves come as fast as they come; what they sum up to is
    taken a hundred times a second at most."""

    def __init__(self) -> None:
        self._held: dict[tuple[str, str, str], tuple[Move, float]] = {}
        self._lock = threading.Lock()
        self.waiting = False
        """Whether anything came that was not taken yet."""

    def add(self, plan: Plan, moves: Sequence[Move | Step]) -> None:
        """A step leads on from where its control is by now. Raises Refusal where one of them cannot be in this plan;
        then none holds."""
        now = time.monotonic()
        with self._lock:
            held = dict(self._held)
            for one in moves:
                move = one if isinstance(one, Move) else one.onto(
                    held[one.of][0].value if one.of in held else value_in(plan, one)
                )
                moved(plan, move)
                held[move.of] = move, now
            self._held = held
            self.waiting = True

    def over(self, plan: Plan, settles: bool = False) -> Plan:
        """The plan with what is being moved. ``settles``: it comes from the database, so what it says too need not be
        held any more."""
        with self._lock:
            held = list(self._held.values())
        out = plan
        for move, at in held:
            try:
                new = moved(out, move)
            except Refusal:
                new, at = out, 0.0  # what was moved is gone
            if settles and (new is out or time.monotonic() - at > HELD_S):
                self._drop(move, at)
            else:
                out = new
        return out

    def _drop(self, move: Move, at: float) -> None:
        with self._lock:
            if self._held.get(move.of, (None, at))[1] <= at or at == 0.0:
                self._held.pop(move.of, None)

    def forget(self) -> None:
        """Another session is open."""
        with self._lock:
            self._held.clear()
            self.waiting = False

"""The effects of one level: its strips in one call, its spaces one by one; each contained.

What raises, or gives what is no number, is switched off until it is prepared again, and said; capture never notices.
"""

from dataclasses import dataclass
from math import isfinite
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.effects import Reverb
from cattailer.core.mix.flow import Level
from cattailer.engine.effects.spaces import Space
from cattailer.engine.effects.strips import Settings, Strips

Floats = NDArray[np.float32]
RAISED, NO_NUMBER = "failed", "gave what is no sound"


class Effect(Protocol):
    """The port that an effect fits. ``rows`` are those of the level that it changes, in place."""

    key: str
    latency_samples: int
    rows: NDArray[np.intp]

    def process(self, block: Floats) -> None: ...


@dataclass(frozen=True)
class Wanted:
    """What the effects of a level are to be set to; ``reverbs`` by the key of their insert."""

    strips: Settings | None
    reverbs: dict[str, Reverb]


class Rack:
    """Belongs to the block path; made off it."""

    def __init__(self, level: Level, rate_hz: int, period: int) -> None:
        self._rate = rate_hz
        strips = [i for i in level.inserts if i.effects.eq or i.effects.dyn]
        self.strips = Strips(strips, level.first, rate_hz, period) if strips else None
        self.spaces = [Space(i, level.first, rate_hz, period) for i in level.inserts if i.effects.reverb]
        self._running: list[Effect] = [*([self.strips] if self.strips is not None else []), *self.spaces]
        self._silent: list[Space] = []
        self.said: list[tuple[str, str]] = []
        """(key of the effect, what it did) since somebody looked."""

    def settings(self, level: Level) -> Wanted:
        """What the same level of another flow asks for: made off the block path, for ``ask``."""
        strips = [i for i in level.inserts if i.effects.eq or i.effects.dyn]
        reverbs = {i.key: i.effects.reverb for i in level.inserts if i.effects.reverb is not None}
        return Wanted(Settings.of(strips, self._rate) if strips else None, reverbs)

    def ask(self, wanted: Wanted) -> None:
        if self.strips is not None and wanted.strips is not None:
            self.strips.ask(wanted.strips)
        for space in self.spaces:
            space.ask(wanted.reverbs[space.key])

    def take_over(self, other: "Rack | None") -> None:
        """Goes on where another one is; spaces that both have are from now on this one's alone."""
        if self.strips is not None:
            self.strips.take_over(other.strips if other is not None else None)
        if other is None:
            return
        old = {(s.key, s.name, len(s.rows)): s for s in other.spaces}
        for space in self.spaces:
            was = old.get((space.key, space.name, len(space.rows)))
            if was is not None:
                space.share(was)
                other.spaces.remove(was)
                other._running = [e for e in other._running if e is not was]

    def process(self, block: Floats) -> None:
        """Shape (rows of the level, samples), in place."""
        for effect in self._running:
            try:
                effect.process(block)
            except Exception:  # whatever it is, it must not reach the block path
                self._bypass(effect, RAISED, block)
        for space in self._silent:
            block[space.rows] = 0.0
        if not isfinite(np.add.reduce(block, axis=None)):
            self._find_no_number(block)

    def _find_no_number(self, block: Floats) -> None:
        for effect in list(self._running):
            wrong = [int(row) for row in effect.rows if not isfinite(block[row].sum())]
            if wrong and isinstance(effect, Strips) and (out := effect.let_out(wrong)):
                self.said += [(key, NO_NUMBER) for key in out]
            elif wrong:
                self._bypass(effect, NO_NUMBER, block)
        np.nan_to_num(block, copy=False, nan=0.0, posinf=0.0, neginf=0.0)

    def _bypass(self, effect: Effect, why: str, block: Floats) -> None:
        """From the next block on an equaliser or compressor lets everything through; a space is silent."""
        block[effect.rows] = 0.0
        self._running = [e for e in self._running if e is not effect]
        if isinstance(effect, Space):
            self._silent.append(effect)
        self.said.append((effect.key, why))

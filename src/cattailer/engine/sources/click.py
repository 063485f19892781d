"""The click: short ticks, exact on the grid."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from cattailer.core.sound.ticks import ticks_of
from cattailer.core.time.clicking import BETWEEN, STRONG, ClickSettings, Tick
from cattailer.core.time.counting import count_in
from cattailer.core.time.timeline import TempoMap
from cattailer.core.units import amplitude
from cattailer.engine.sources.ahead import Ahead, Events
from cattailer.engine.sources.spoken import words

Floats = NDArray[np.float32]
AHEAD_S, BEHIND_S = 30, 2
VOICE_DB, UNDER_VOICE_DB = 6.0, -9.0


class Click:
    """Adds ticks to a block; strong beats are higher and louder, what lies between beats lower and softer.

    ``pump`` works out which ticks are near, off the block path. With ``limits`` there are ticks only in [start, stop)
    of them.
    """

    def __init__(self, tempo: TempoMap, plan: ClickSettings, limits: tuple[int, int] | None = None) -> None:
        self.plan = plan
        self._tempo = tempo
        self._limits = limits
        self._sounds = ticks_of(plan, tempo.rate_hz)
        self._longest = len(self._sounds[STRONG])
        self._ahead = Ahead(self._made, BEHIND_S * tempo.rate_hz, AHEAD_S * tempo.rate_hz)

    def pump(self, places: Sequence[int]) -> None:
        """Works out the ticks around the places to which the timeline may go next."""
        self._ahead.pump(places)

    @property
    def late(self) -> int:
        return self._ahead.late

    def _made(self, start: int, stop: int) -> Events[Floats]:
        start -= self._longest
        if self._limits is not None:
            start, stop = max(start, self._limits[0]), min(stop, self._limits[1])
        ticks = list(self.plan.ticks(self._tempo, start, stop)) if start < stop else []
        return Events([(t.sample, self._sound_of(t)) for t in ticks])

    def _sound_of(self, tick: Tick) -> Floats:
        return self._sounds[tick.kind]

    def add(self, mix: Floats, position: int) -> None:
        """Adds what sounds from timeline ``position`` to ``mix``, shape (2, samples)."""
        stop = position + mix.shape[1]
        near = self._ahead.find(position, stop)
        if near is None:
            return
        for at, sound in near.after(position - self._longest, stop):
            a, b = max(at, position), min(at + len(sound), stop)
            if a < b:
                mix[:, a - position : b - position] += sound[a - at : b - at]


class Count(Click):
    """The count-in before a position. It begins whole blocks of ``period`` before it, ``lead`` samples in all, so
    that what is counted in begins with a block."""

    def __init__(self, tempo: TempoMap, plan: ClickSettings, position: int, bars: int, period: int) -> None:
        self.count_in = count_in(tempo, position, bars)
        self.lead = -(-self.count_in.samples // period) * period
        grid = self.count_in.grid
        super().__init__(grid, replace(plan, silences=(), beats=()), (self.count_in.start, position))
        self._words: list[Floats] = []
        if plan.count_sound == "voice":
            beat = grid.sample_of(1, 2) - grid.sample_of(1)
            loud = np.float32(amplitude(min(0.0, plan.level_db + VOICE_DB)))
            soft = np.float32(amplitude(UNDER_VOICE_DB))
            self._words = [word * loud for word in words(grid.rate_hz, beat)]
            self._longest = max(self._longest, *(len(w) for w in self._words))
            self._sounds = [sound * soft for sound in self._sounds]
        self._ahead = Ahead(self._made, self.lead, 2 * period)
        self.pump([position])

    def _sound_of(self, tick: Tick) -> Floats:
        """A word on a beat, with a soft tick below it: a word's own beginning is not sharp."""
        sound = self._sounds[tick.kind]
        if tick.kind == BETWEEN or tick.beat > len(self._words):
            return sound
        spoken = self._words[tick.beat - 1].copy()
        spoken[: len(sound)] += sound[: len(spoken)]
        return spoken

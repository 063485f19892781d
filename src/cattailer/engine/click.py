"""The click: short ticks, exact on the grid."""

import bisect

import numpy as np
from numpy.typing import NDArray

from cattailer.core.clicking import BAR, ClickPlan
from cattailer.core.timeline import TempoMap
from cattailer.core.units import amplitude

Floats = NDArray[np.float32]
_SECONDS = 0.03
_HZ = {"wood": (1760.0, 1175.0, 880.0), "beep": (1568.0, 1046.5, 784.0), "stick": (2960.0, 2350.0, 1980.0)}
_DECAY_S = {"wood": 0.006, "beep": 0.02, "stick": 0.0025}
BETWEEN_DB = -6.0


def tick(rate_hz: int, hz: float, decay_s: float = 0.006) -> Floats:
    """A tick whose first sample is its largest, so that its onset can be measured to the sample."""
    t = np.arange(int(_SECONDS * rate_hz)) / rate_hz
    return (np.cos(2 * np.pi * hz * t) * np.exp(-t / decay_s)).astype(np.float32)


class Click:
    """Adds ticks to a block; the first beat of a bar is higher and louder, what lies between beats lower and softer."""

    def __init__(self, tempo: TempoMap, plan: ClickPlan) -> None:
        self.plan = plan
        self._tempo = tempo
        levels = (plan.level_db, plan.level_db - plan.accent_db, plan.level_db - plan.accent_db + BETWEEN_DB)
        self._sounds = [
            tick(tempo.rate_hz, hz, _DECAY_S[plan.sound]) * np.float32(amplitude(db))
            for hz, db in zip(_HZ[plan.sound], levels, strict=True)
        ]
        self._length = len(self._sounds[BAR])
        self._from = self._to = 0
        self._samples: list[int] = []
        self._kinds: list[int] = []

    def prepare(self, start: int, stop: int) -> None:
        """Works out the ticks in [start, stop) beforehand, off the block path."""
        ticks = list(self.plan.ticks(self._tempo, start, stop))
        self._from, self._to = start, stop
        self._samples = [t.sample for t in ticks]
        self._kinds = [t.kind for t in ticks]

    def add(self, mix: Floats, position: int) -> None:
        """Adds what sounds from timeline ``position`` to ``mix``, shape (2, samples)."""
        stop = position + mix.shape[1]
        if position < self._from or stop > self._to:
            self.prepare(max(0, position - self._length), stop + 600 * self._tempo.rate_hz)
        i = bisect.bisect_right(self._samples, position - self._length)
        while i < len(self._samples) and self._samples[i] < stop:
            at, sound = self._samples[i], self._sounds[self._kinds[i]]
            a, b = max(at, position), min(at + len(sound), stop)
            if a < b:
                mix[:, a - position : b - position] += sound[a - at : b - at]
            i += 1

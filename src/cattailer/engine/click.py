"""The click: short wooden ticks, exact on the grid."""

import bisect

import numpy as np
from numpy.typing import NDArray

from cattailer.core.timeline import TempoMap
from cattailer.core.units import amplitude

Floats = NDArray[np.float32]
_SECONDS = 0.03


def tick(rate_hz: int, hz: float) -> Floats:
    """A tick whose first sample is its largest, so that its onset can be measured to the sample."""
    t = np.arange(int(_SECONDS * rate_hz)) / rate_hz
    return (np.cos(2 * np.pi * hz * t) * np.exp(-t / 0.006)).astype(np.float32)


class Click:
    """Adds ticks to a block; the first beat of a bar is higher and louder."""

    def __init__(self, tempo: TempoMap, level_db: float) -> None:
        self._tempo = tempo
        self._strong = tick(tempo.rate_hz, 1760.0) * np.float32(amplitude(level_db))
        self._weak = tick(tempo.rate_hz, 1175.0) * np.float32(amplitude(level_db - 5.0))
        self._from = self._to = 0
        self._samples: list[int] = []
        self._first: list[bool] = []

    def prepare(self, start: int, stop: int) -> None:
        """Works out the beats in [start, stop) beforehand, off the block path."""
        beats = list(self._tempo.beats_between(start, stop))
        self._from, self._to = start, stop
        self._samples = [b.sample for b in beats]
        self._first = [b.beat == 1 for b in beats]

    def add(self, mix: Floats, position: int) -> None:
        """Adds what sounds from timeline ``position`` to ``mix``, shape (2, samples)."""
        stop = position + mix.shape[1]
        if position < self._from or stop > self._to:
            self.prepare(max(0, position - len(self._strong)), stop + 600 * self._tempo.rate_hz)
        i = bisect.bisect_right(self._samples, position - len(self._strong))
        while i < len(self._samples) and self._samples[i] < stop:
            at = self._samples[i]
            sound = self._strong if self._first[i] else self._weak
            a, b = max(at, position), min(at + len(sound), stop)
            if a < b:
                mix[:, a - position : b - position] += sound[a - at : b - at]
            i += 1

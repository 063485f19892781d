"""Plays a test signal to one output, sample-exact, while the engine runs."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]


class Probe:
    """``repeats`` times, ``stride`` samples apart, after one gap of silence, in which what was playing dies away.
    ``starts`` are the ring samples at which each begins."""

    def __init__(self, sound: Floats, output: int, repeats: int, stride: int) -> None:
        self._sound, self._output, self._stride = sound, output, stride
        self._repeats = repeats
        self._first: int | None = None

    @property
    def starts(self) -> list[int]:
        return [] if self._first is None else [self._first + n * self._stride for n in range(self._repeats)]

    def add(self, outputs: Floats, sample: int) -> bool:
        """Replaces what the output plays in the block that begins at ring sample ``sample``; whether more follows."""
        if self._first is None:
            self._first = sample + self._stride - len(self._sound)
        count = outputs.shape[1]
        row = outputs[self._output]
        row[:] = 0.0
        at = sample - self._first
        turn = at // self._stride
        for n in (turn - 1, turn, turn + 1):
            if 0 <= n < self._repeats:
                a, b = max(at, n * self._stride), min(at + count, n * self._stride + len(self._sound))
                if a < b:
                    row[a - at : b - at] = self._sound[a - n * self._stride : b - n * self._stride]
        return bool(at + count < self._repeats * self._stride)

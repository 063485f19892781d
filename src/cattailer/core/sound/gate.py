"""Where sound begins and where it ends, to the sample, in whatever blocks it comes."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

BEGINS, ENDS = "begins", "ends"


@dataclass(frozen=True)
class Edge:
    """``sample`` is the first of a stretch that is kept, or the first that is not any more."""

    kind: str
    sample: int


class Gate:
    """Sound is what reaches ``threshold`` (amplitude) on any row. A stretch begins ``before`` samples before it, but
    not within the stretch before; it ends once none came for ``gap`` samples, ``tail`` after the last."""

    def __init__(self, threshold: float, before: int, gap: int, tail: int) -> None:
        self._threshold, self._before = threshold, before
        self._gap, self._tail = max(1, gap), min(max(0, tail), max(1, gap))
        self._ended_at = 0
        self._loud_at: int | None = None
        """The last sample of sound, while a stretch goes on."""

    @property
    def open(self) -> bool:
        return self._loud_at is not None

    @property
    def kept_until(self) -> int:
        """So far what has come belongs to the stretch that goes on, whatever comes next."""
        assert self._loud_at is not None
        return self._loud_at + 1 + self._tail

    def feed(self, block: NDArray[np.float32], at: int) -> list[Edge]:
        """``block``, shape (rows, samples), begins at sample ``at``; blocks follow one another."""
        loud = np.flatnonzero((np.abs(block) >= self._threshold).any(axis=0)) + at
        out: list[Edge] = []
        if len(loud):
            breaks = np.flatnonzero(np.diff(loud) > self._gap)
            firsts = [int(loud[0]), *(int(loud[n + 1]) for n in breaks)]
            lasts = [*(int(loud[n]) for n in breaks), int(loud[-1])]
            for first, last in zip(firsts, lasts, strict=True):
                if self._loud_at is not None and first - self._loud_at > self._gap:
                    out.append(self._end())
                if self._loud_at is None:
                    out.append(Edge(BEGINS, max(first - self._before, self._ended_at)))
                self._loud_at = last
        if self._loud_at is not None and at + block.shape[1] - 1 - self._loud_at >= self._gap:
            out.append(self._end())
        return out

    def _end(self) -> Edge:
        assert self._loud_at is not None
        self._ended_at, self._loud_at = self._loud_at + 1 + self._tail, None
        return Edge(ENDS, self._ended_at)

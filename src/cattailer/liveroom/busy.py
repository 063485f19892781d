"""A busy computer: now and then something else holds it up, at moments and for lengths that follow from a seed.

Stalls come at random (exponential gaps) and most are short (lengths are lognormal). An interface that holds one buffer
bridges a stall of one buffer; what is longer is lost, in whole blocks, as it is on a real one.
"""

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Mood:
    """Mean gap between stalls in seconds; median length in ms and its spread (of the logarithm)."""

    gap_s: float
    median_ms: float
    spread: float


MOODS = {"off": None, "a little": Mood(6.0, 3.0, 0.8), "very": Mood(1.5, 7.0, 0.9)}
LONGEST_MS = 80.0


class BusyComputer:
    def __init__(self, mood: str, seed: int, rate_hz: int, now: int) -> None:
        self.name = mood
        self._mood = MOODS[mood]
        self._rate = rate_hz
        self._rng = np.random.default_rng(seed)
        self._next = now
        self._plan()

    def _plan(self) -> None:
        if self._mood is None:
            return
        self._next += 1 + int(self._rng.exponential(self._mood.gap_s) * self._rate)
        length_ms = self._mood.median_ms * float(np.exp(self._mood.spread * self._rng.standard_normal()))
        self._length = int(min(LONGEST_MS, length_ms) * self._rate / 1000.0)

    def lost(self, sample: int, period: int) -> int:
        """How many samples a stall before ``sample`` cost, in whole blocks."""
        if self._mood is None or sample < self._next:
            return 0
        beyond = self._length - period
        self._plan()
        return -(-beyond // period) * period if beyond > 0 else 0

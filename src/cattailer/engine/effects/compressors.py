"""Compressors of many rows, whose settings glide."""

from typing import Self

import numpy as np
from numpy.typing import NDArray

from cattailer.engine.effects import kernels
from cattailer.engine.effects.bank import active, with_rows

Floats = NDArray[np.float32]
Doubles = NDArray[np.float64]
Places = NDArray[np.intp]
SLOPE, MAKE_UP = 1, 5
"""Rows of settings: how much of what is over the threshold goes, and the gain after; 0 and 1 where nothing is done."""


class _Detector:
    """How loud each row is, heard through a filter, with its peaks held."""

    def __init__(self, coefficients: Doubles, pairs: Places, rate_hz: int, period: int) -> None:
        rows = coefficients.shape[-1]
        self.coefficients, self._active, self._pairs = coefficients, active(coefficients), pairs
        self._state, self._heard = np.zeros((1, 2, rows)), np.zeros((period, rows))
        self._kept = np.zeros((round(kernels.HOLD_S * rate_hz), rows), np.float32)
        self._highest, self._at = np.zeros(rows, np.float32), np.zeros(1, np.intp)
        self._level = np.zeros((period, rows), np.float32)

    def set(self, coefficients: Doubles) -> None:
        self.coefficients, self._active = coefficients, active(coefficients)

    def copy(self, rows: Places | slice, other: Self, others: Places | slice) -> None:
        """What ``others`` of another one have in them."""
        self._state[:, :, rows] = other._state[:, :, others]
        self._kept[:, rows], self._highest[rows] = other._kept[:, others], other._highest[others]
        self._at[:] = other._at

    def clear(self, rows: Places | slice) -> None:
        self._state[:, :, rows], self._kept[:, rows], self._highest[rows] = 0.0, 0.0, 0.0

    def levels(self, sound: Doubles, moved: Places, fed: Doubles) -> Floats:
        """In dB, (samples, rows). The rows that are ``moved`` get as much of their sound as they are ``fed``."""
        level = self._level[: len(sound)]
        if self._active[0] or len(moved):
            heard = self._heard[: len(sound)]
            np.copyto(heard, sound)
            if len(moved):
                heard[:, moved] *= fed[:, None]
            kernels.equalise(heard, self.coefficients, self._state, self._active)
            sound = heard
        kernels.hold(sound, level, self._pairs, self._kept, self._highest, self._at)
        return level


class Compressors:
    """``settings`` (6, rows) as ``kernels.compress`` has them, ``filters`` (1, 5, rows) what each row is heard through,
    ``pairs`` (pairs, 2) rows that are turned down as one.

    While settings come in, the compressors that come run beside those that go, for the rows that are moved. They go on
    from the same reduction, and come to go by their own filter before they are heard.
    """

    def __init__(self, settings: Doubles, filters: Doubles, pairs: Places, rate_hz: int, period: int) -> None:
        rows = settings.shape[-1]
        self._now, self._down = settings, np.zeros(rows)
        self._next, self._coming, self._down_next = settings, settings[:, :0], np.zeros(0)
        self._unseen = np.ones(0, np.float32)
        self._detector, self._detector_next = (_Detector(filters, pairs, rate_hz, period) for _ in range(2))
        self._moved = self._heard_otherwise = self._none = np.zeros(0, np.intp)
        self._works = _work(settings)
        self.least = np.ones(rows, np.float32)
        """Each row's lowest gain since somebody looked."""

    def begin(self, settings: Doubles, filters: Doubles) -> None:
        """From now on these come in, beside those that go."""
        heard_otherwise = (filters != self._detector.coefficients).any(axis=(0, 1))
        self._moved = np.flatnonzero((settings != self._now).any(axis=0) | heard_otherwise)
        self._next, self._coming = settings, np.ascontiguousarray(settings[:, self._moved])
        self._down_next = self._down[self._moved] * (self._coming[SLOPE] > 0.0)
        self._unseen = np.ones(len(self._moved), np.float32)
        self._heard_otherwise = np.flatnonzero(heard_otherwise)
        if len(self._heard_otherwise):
            self._detector_next.set(filters)
            self._detector_next.copy(slice(None), self._detector, slice(None))
            self._detector_next.clear(self._heard_otherwise)
        self._works = _work(self._now) or _work(settings)

    def end(self) -> None:
        """What came in is all there is."""
        self._down[self._moved] = self._down_next
        if len(self._heard_otherwise):
            self._detector, self._detector_next = self._detector_next, self._detector
        self._now, self._moved, self._heard_otherwise = self._next, self._none, self._none
        self._works = _work(self._now)

    def process(self, sound: Doubles, fed: Doubles, weight: Doubles) -> bool:
        """Changes ``sound`` (samples, rows) in place. Of what comes in ``fed`` (samples) is how much it goes by its own
        filter, and ``weight`` how much of it is heard. Whether there was anything to do."""
        if not self._works:
            return False
        level = self._detector.levels(sound, self._none, fed)
        if len(self._moved):
            # In one piece: for arrays that lie otherwise the loops would be compiled again, and the block would wait.
            beside = np.ascontiguousarray(sound[:, self._moved])
            coming_level = np.ascontiguousarray(level[:, self._moved])
            if len(self._heard_otherwise):
                own = self._detector_next.levels(sound, self._heard_otherwise, fed)[:, self._moved]
                coming_level += fed[:, None].astype(np.float32) * (own - coming_level)
            kernels.compress(beside, coming_level, self._coming, self._down_next, self._unseen)
        kernels.compress(sound, level, self._now, self._down, self.least)
        if len(self._moved):
            sound[:, self._moved] += weight[:, None] * (beside - sound[:, self._moved])
        return True

    def take_over(self, rows: Places, other: Self, others: Places) -> None:
        """``rows`` go on where ``others`` of another one are, which may be in the middle of a glide."""
        self._now = with_rows(self._now, rows, other._now, others)
        self._down[rows] = other._down[others]
        self._detector.set(with_rows(self._detector.coefficients, rows, other._detector.coefficients, others))
        self._detector.copy(rows, other._detector, others)
        if len(other._moved):
            filters = other._detector_next if len(other._heard_otherwise) else other._detector
            self.begin(with_rows(self._now, rows, other._next, others),
                       with_rows(self._detector.coefficients, rows, filters.coefficients, others))
            if len(self._heard_otherwise):
                self._detector_next.copy(rows, other._detector_next, others)
            there = np.full(len(self._down), -1)
            there[rows] = others
            self._down_next = other._down_next[np.searchsorted(other._moved, there[self._moved])]
        self._works = _work(self._now) or bool(len(self._moved))

    def clear(self, rows: slice) -> None:
        """Nothing was heard of these rows, and nothing is turned down."""
        self._down[rows] = 0.0
        self._down_next[(self._moved >= rows.start) & (self._moved < rows.stop)] = 0.0
        self._detector.clear(rows)
        self._detector_next.clear(rows)


def _work(settings: Doubles) -> bool:
    return bool(settings[SLOPE].any() or (settings[MAKE_UP] != 1.0).any())

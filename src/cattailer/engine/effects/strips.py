"""Equalisers and compressors of many rows, all in one call."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.effects import Compressor, Effects
from cattailer.core.mix.equalising import SECTIONS, coefficients
from cattailer.core.mix.flow import APART, Insert
from cattailer.core.sound.curves import along, gliding
from cattailer.engine.effects import kernels

Floats = NDArray[np.float32]
Doubles = NDArray[np.float64]
Places = NDArray[np.intp]
SETTLE_S = 0.02
_NAMES = ("coefficients", "dynamics", "attack", "release")


class Settings:
    """What ``Strips`` are set to: made off the block path. Shapes end with (rows,)."""

    def __init__(self, coefficients: Doubles, dynamics: Doubles, attack: Doubles, release: Doubles) -> None:
        self.coefficients, self.dynamics, self.attack, self.release = coefficients, dynamics, attack, release
        self.active = _active(coefficients)
        self.compresses = bool(dynamics[1].any())

    @classmethod
    def of(cls, inserts: Sequence[Insert], rate_hz: int) -> "Settings":
        of_rows = [i.effects for i in inserts for _ in range(i.channels)]
        return cls(
            np.stack([coefficients(e.eq, rate_hz) for e in of_rows], axis=-1),
            np.stack([_dynamics(e) for e in of_rows], axis=-1),
            np.array([_smoothing(e, "attack_ms", rate_hz) for e in of_rows]),
            np.array([_smoothing(e, "release_ms", rate_hz) for e in of_rows]),
        )

    def with_rows(self, rows: Places, other: "Settings", others: Places) -> "Settings":
        """The same with ``rows`` as ``others`` of another one are."""
        made = [getattr(self, name).copy() for name in _NAMES]
        for array, name in zip(made, _NAMES, strict=True):
            array[..., rows] = getattr(other, name)[..., others]
        return Settings(*made)

    def same_as(self, other: "Settings") -> bool:
        return all(np.array_equal(getattr(self, name), getattr(other, name)) for name in _NAMES)


class Strips:
    """``rows`` are those of a level's rows that have an equaliser or compressor.

    New settings come in over a glide: beside the filters that go, those that come run too, and a little before they are
    heard. What is asked for meanwhile waits until that is over, the newest only.
    """

    key = "equalisers and compressors"
    latency_samples = 0

    def __init__(self, inserts: Sequence[Insert], first: int, rate_hz: int, period: int) -> None:
        kernels.warm_up()
        self.inserts = tuple(inserts)
        self.rows = np.array([r - first for i in inserts for r in range(i.first, i.first + i.channels)], np.intp)
        count = len(self.rows)
        together = bool(count) and self.rows[-1] - self.rows[0] == count - 1
        self._own = slice(int(self.rows[0]), int(self.rows[0]) + count) if together else self.rows
        self._pairs = _pairs(inserts)
        self._curve, self._settle = gliding(rate_hz), round(SETTLE_S * rate_hz)
        self._now = Settings.of(inserts, rate_hz)
        self._next: Settings | None = None
        self._done = 0
        self._moved = np.zeros(0, np.intp)
        self._sound = np.zeros((period, count))
        self._coming = np.zeros((period, 0))
        self._state, self._state_next = np.zeros((SECTIONS, 2, count)), np.zeros((SECTIONS, 2, 0))
        self._envelope, self._gain = np.zeros(count), np.ones(count)
        self._still, self._unmoved = np.zeros((3, count)), np.ones(period)
        self.least = np.ones(count)
        """Each row's lowest gain of the compressor since somebody looked."""
        self._wanted: Settings | None = None
        self._compressed = False
        self._out = np.zeros(count, np.bool_)
        """Rows that are let through as they come."""
        self._some_out = False

    def ask(self, settings: Settings) -> None:
        """In the block path."""
        self._wanted = settings

    def take_over(self, other: "Strips") -> None:
        """Goes on where the same inserts of another bank are: with their state, from what they are set to."""
        before, at = {}, 0
        for insert in other.inserts:
            before[insert.key, insert.channels] = at
            at += insert.channels
        here: list[int] = []
        there: list[int] = []
        at = 0
        for insert in self.inserts:
            usual = before.get((insert.key.partition(APART)[0], insert.channels))
            was = before.get((insert.key, insert.channels), usual)
            if was is not None:
                here += range(at, at + insert.channels)
                there += range(was, was + insert.channels)
            at += insert.channels
        if not here:
            return
        new, old = np.array(here, np.intp), np.array(there, np.intp)
        self._state[:, :, new] = other._state[:, :, old]
        self._envelope[new], self._gain[new] = other._envelope[old], other._gain[old]
        asked, self._now = self._now, self._now.with_rows(new, other._now, old)
        self._wanted = asked
        if other._next is not None:
            self._come(self._now.with_rows(new, other._next, old), other._done)
            kept = {int(row): n for n, row in enumerate(other._moved)}
            for n, row in enumerate(self._moved):
                self._state_next[:, :, n] = other._state_next[:, :, kept[there[here.index(int(row))]]]

    def let_out(self, rows: Sequence[int]) -> list[str]:
        """From the next block on the inserts of these rows of the level let everything through; the others go on. The
        keys of those that did not so far."""
        wrong, out, at = np.isin(self.rows, rows), [], 0
        for insert in self.inserts:
            own = slice(at, at + insert.channels)
            at += insert.channels
            if wrong[own].any() and not self._out[own].any():
                self._out[own] = True
                self._state[:, :, own], self._envelope[own], self._gain[own] = 0.0, 0.0, 1.0
                out.append(insert.key)
        self._state_next[:, :, self._out[self._moved]] = 0.0
        self._some_out = bool(self._out.any())
        return out

    def turned_down(self) -> dict[str, float]:
        """Each insert's lowest gain of the compressor since somebody looked, by its key, where there was any."""
        out, at = {}, 0
        for insert in self.inserts:
            lowest = float(self.least[at : at + insert.channels].min())
            at += insert.channels
            if lowest < 1.0:
                out[insert.key] = lowest
        self.least[:] = 1.0
        return out

    def process(self, block: Floats) -> None:
        """Changes the rows of a level, (rows of the level, samples), in place."""
        count = block.shape[1]
        sound, own = self._sound[:count], self._own
        np.copyto(sound, block[own].T)
        if self._some_out:
            let_through = sound[:, self._out]
            sound[:, self._out] = 0.0
        if self._wanted is not None and self._next is None:
            self._begin()
        coming, weight = self._next, self._unmoved[:count]
        if coming is not None:
            weight = along(self._curve, self._done, count).astype(np.float64)
            beside = self._coming[:count]
            beside[:] = sound[:, self._moved]
        now = self._now
        kernels.equalise(sound, now.coefficients, self._state, now.active)
        if coming is not None and len(self._moved):
            new = coming.coefficients[:, :, self._moved]
            kernels.equalise(beside, new, self._state_next, _active(new))
            sound[:, self._moved] += weight[:, None] * (beside - sound[:, self._moved])
        timing = now if coming is None else coming
        if now.compresses or timing.compresses or self._compressed:
            self._compressed = now.compresses or timing.compresses
            change = self._still if coming is None else coming.dynamics - now.dynamics
            kernels.compress(sound, self._pairs, timing.attack, timing.release, now.dynamics, change, weight,
                             self._envelope, self._gain, self.least)
        if coming is not None:
            self._done += count
            if self._done >= len(self._curve):
                self._end(coming)
        if self._some_out:
            sound[:, self._out] = let_through
        block[own] = sound.T

    def _begin(self) -> None:
        coming, self._wanted = self._wanted, None
        assert coming is not None
        if coming.same_as(self._now):
            return
        self._come(coming, -self._settle)

    def _come(self, coming: Settings, done: int) -> None:
        self._next, self._done = coming, done
        self._moved = np.flatnonzero((coming.coefficients != self._now.coefficients).any(axis=(0, 1)))
        self._state_next = self._state[:, :, self._moved].copy()
        self._coming = np.zeros((len(self._sound), len(self._moved)))

    def _end(self, coming: Settings) -> None:
        self._state[:, :, self._moved] = self._state_next
        self._now, self._next = coming, None


def _active(coefficients_of_rows: Doubles) -> NDArray[np.bool_]:
    """Sections that do anything in any row."""
    flat = (coefficients_of_rows[:, 0] == 1.0) & (coefficients_of_rows[:, 1] == 0.0)
    return np.asarray(~flat.all(axis=1))


def _dynamics(effects: Effects) -> Doubles:
    dyn = effects.dyn
    if dyn is None or not dyn.on:
        # A threshold that is glided from keeps its place, so that only the slope moves.
        return np.array([Compressor.threshold_db if dyn is None else dyn.threshold_db, 0.0, 1.0])
    return np.array([dyn.threshold_db, 1.0 - 1.0 / dyn.ratio, max(0.5 * dyn.knee_db, 1e-3)])


def _smoothing(effects: Effects, name: str, rate_hz: int) -> float:
    """The share of the way that an envelope goes in a sample, so that it has gone 63 % of it in that time."""
    time_ms = getattr(effects.dyn or Compressor(), name)
    return float(1.0 - np.exp(-1000.0 / (time_ms * rate_hz)))


def _pairs(inserts: Sequence[Insert]) -> NDArray[np.intp]:
    """Places of the two rows of each pair, shape (pairs, 2)."""
    out: list[tuple[int, int]] = []
    at = 0
    for insert in inserts:
        if insert.channels == 2:
            out.append((at, at + 1))
        at += insert.channels
    return np.array(out, np.intp).reshape(-1, 2)

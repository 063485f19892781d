"""Equalisers and compressors of many rows, all in one call."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.effects import Compressor, Effects
from cattailer.core.mix.equalising import coefficients, detector
from cattailer.core.mix.flow import APART, Insert
from cattailer.core.sound.curves import along, gliding
from cattailer.core.units import amplitude
from cattailer.engine.effects import kernels
from cattailer.engine.effects.bank import Bank, with_rows
from cattailer.engine.effects.compressors import Compressors

Floats = NDArray[np.float32]
Doubles = NDArray[np.float64]
Places = NDArray[np.intp]
GLIDE_S, SETTLE_S = 0.06, 0.05
"""So long settings take to come in, and so long before that their filters are fed."""
_NAMES = ("coefficients", "dynamics", "detectors")


class Settings:
    """What ``Strips`` are set to: made off the block path. Shapes end with (rows,)."""

    def __init__(self, coefficients: Doubles, dynamics: Doubles, detectors: Doubles) -> None:
        self.coefficients, self.dynamics, self.detectors = coefficients, dynamics, detectors

    @classmethod
    def of(cls, inserts: Sequence[Insert], rate_hz: int) -> "Settings":
        of_rows = [i.effects for i in inserts for _ in range(i.channels)]
        return cls(
            np.stack([coefficients(e.eq, rate_hz) for e in of_rows], axis=-1),
            np.stack([_dynamics(e, rate_hz) for e in of_rows], axis=-1),
            np.stack([detector(e.dyn, rate_hz) for e in of_rows], axis=-1),
        )

    def with_rows(self, rows: Places, other: "Settings", others: Places) -> "Settings":
        """The same with ``rows`` as ``others`` of another one are."""
        return Settings(*(with_rows(getattr(self, name), rows, getattr(other, name), others) for name in _NAMES))

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
        self._curve, self._feed = gliding(rate_hz, GLIDE_S), gliding(rate_hz, SETTLE_S)
        self._now = Settings.of(inserts, rate_hz)
        self._next: Settings | None = None
        self._done = 0
        self._sound = np.zeros((period, count))
        self._equaliser = Bank(self._now.coefficients, period)
        self._compressors = Compressors(self._now.dynamics, self._now.detectors, _pairs(inserts), rate_hz, period)
        self._unmoved = np.ones(period)
        self._wanted: Settings | None = None
        self._out = np.zeros(count, np.bool_)
        """Rows that are let through as they come."""
        self._some_out = False
        self._young: Places | None = None
        self._age = 0

    def ask(self, settings: Settings) -> None:
        """In the block path."""
        self._wanted = settings

    def take_over(self, other: "Strips | None") -> None:
        """Where the same inserts of another bank are it goes on with their state, from what they are set to. The others
        begin: what they get is faded in."""
        new, old = self._same(other)
        self._young, self._age = np.setdiff1d(np.arange(len(self.rows)), new), 0
        if other is None or not len(new):
            return
        self._equaliser.take_over(new, other._equaliser, old)
        self._compressors.take_over(new, other._compressors, old)
        asked, self._now = self._now, self._now.with_rows(new, other._now, old)
        self._wanted = asked
        if other._next is not None:
            self._next, self._done = self._now.with_rows(new, other._next, old), other._done

    def _same(self, other: "Strips | None") -> tuple[Places, Places]:
        """Places of rows that another bank has too, here and there."""
        before, at = {}, 0
        for insert in other.inserts if other is not None else ():
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
        return np.array(here, np.intp), np.array(there, np.intp)

    def let_out(self, rows: Sequence[int]) -> list[str]:
        """From the next block on the inserts of these rows of the level let everything through; the others go on. The
        keys of those that did not so far."""
        wrong, out, at = np.isin(self.rows, rows), [], 0
        for insert in self.inserts:
            own = slice(at, at + insert.channels)
            at += insert.channels
            if wrong[own].any() and not self._out[own].any():
                self._out[own] = True
                self._equaliser.clear(own)
                self._compressors.clear(own)
                out.append(insert.key)
        self._some_out = bool(self._out.any())
        return out

    def turned_down(self) -> dict[str, float]:
        """Each insert's lowest gain of the compressor since somebody looked, by its key, where there was any."""
        out, at = {}, 0
        for insert in self.inserts:
            lowest = float(self._compressors.least[at : at + insert.channels].min())
            at += insert.channels
            if lowest < 1.0:
                out[insert.key] = lowest
        self._compressors.least[:] = 1.0
        return out

    def process(self, block: Floats) -> None:
        """Changes the rows of a level, (rows of the level, samples), in place."""
        done, count = 0, block.shape[1]
        while done < count:
            if self._wanted is not None and self._next is None:
                self._begin()
            left = count - done if self._next is None else min(count - done, len(self._curve) - self._done)
            self._process(block[:, done : done + left])
            done += left

    def _process(self, block: Floats) -> None:
        """Up to where settings have come in, so that it makes no difference where blocks begin."""
        count = block.shape[1]
        sound, own = self._sound[:count], self._own
        np.copyto(sound, block[own].T)
        if self._some_out:
            let_through = sound[:, self._out]
            sound[:, self._out] = 0.0
        if self._young is not None:
            self._feed_young(sound)
        coming, fed, weight = self._next, self._unmoved[:count], self._unmoved[:count]
        if coming is not None:
            fed = along(self._feed, self._done + len(self._feed), count).astype(np.float64)
            weight = along(self._curve, self._done, count).astype(np.float64)
        self._equaliser.process(sound, fed, weight)
        worked = self._compressors.process(sound, fed, weight)
        if coming is not None:
            self._done += count
            if self._done >= len(self._curve):
                self._end(coming)
        if not worked:
            sound += kernels.GRAIN
            sound -= kernels.GRAIN
        if self._some_out:
            sound[:, self._out] = let_through
        block[own] = sound.T

    def _feed_young(self, sound: Doubles) -> None:
        assert self._young is not None
        sound[:, self._young] *= along(self._feed, self._age, len(sound))[:, None]
        self._age += len(sound)
        if self._age >= len(self._feed):
            self._young = None

    def _begin(self) -> None:
        coming, self._wanted = self._wanted, None
        assert coming is not None
        if coming.same_as(self._now):
            return
        self._next, self._done = coming, -len(self._feed)
        self._equaliser.begin(coming.coefficients)
        self._compressors.begin(coming.dynamics, coming.detectors)

    def _end(self, coming: Settings) -> None:
        self._equaliser.end()
        self._compressors.end()
        self._now, self._next = coming, None


def _dynamics(effects: Effects, rate_hz: int) -> Doubles:
    """What ``kernels.compress`` is set to. The pole goes 63 % of its way in the time that is asked for."""
    dyn = effects.dyn if effects.dyn and effects.dyn.on else Compressor(ratio=1.0)
    attack, release = (1.0 - np.exp(-1000.0 / (ms * rate_hz)) for ms in (dyn.attack_ms, dyn.release_ms))
    half_knee_db, make_up = max(0.5 * dyn.knee_db, 1e-3), amplitude(dyn.makeup_db)
    return np.array([dyn.threshold_db, 1.0 - 1.0 / dyn.ratio, half_knee_db, attack, release, make_up])


def _pairs(inserts: Sequence[Insert]) -> NDArray[np.intp]:
    """Places of the two rows of each pair, shape (pairs, 2)."""
    out: list[tuple[int, int]] = []
    at = 0
    for insert in inserts:
        if insert.channels == 2:
            out.append((at, at + 1))
        at += insert.channels
    return np.array(out, np.intp).reshape(-1, 2)

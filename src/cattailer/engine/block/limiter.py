"""The limiter of each mix, which protects ears: nothing passes above its ceiling, between samples either.

Peaks are found ahead. What the loudest of them allows is held, so that a low tone is turned down and not bent, and the
gain is down before the peak is there. All mixes are delayed alike by what it looks ahead, whether they are limited or
not. While settings come in, limiters with the new ones run beside those that go, from the same state.
"""

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.limiting import HOLD_S, MARGIN_DB, REACH, RECOVER_S, between_samples, look_ahead_samples
from cattailer.core.plan import MOST_MIXES
from cattailer.core.sound.curves import along, gliding
from cattailer.core.units import amplitude
from cattailer.engine.block.prepared import NO_LIMIT, Prepared
from cattailer.engine.effects import limiting
from cattailer.engine.effects.strips import GLIDE_S, SETTLE_S

Floats = NDArray[np.float32]
Places = NDArray[np.intp]
Flags = NDArray[np.bool_]
_FULL = np.float32(1.0)
_TAPS = between_samples()
_SAFE = np.float32(amplitude(-MARGIN_DB))


class _Lines:
    """What limiters have in them, by slot."""

    def __init__(self, rate_hz: int, period: int) -> None:
        self._delay = look_ahead_samples(rate_hz)
        self._ahead = ahead = self._delay - REACH
        ease = np.hanning(ahead + 3)[1:-1]
        self._ease = np.pad(ease / ease.sum(), (0, -len(ease) % 3)).astype(np.float32)
        self._recover = np.float32(1.0 - np.exp(-1.0 / (RECOVER_S * rate_hz)))
        long = round(HOLD_S * rate_hz) + ahead + 1
        sound, less = (MOST_MIXES, 2, self._delay + period), (MOST_MIXES, ahead + period + 2)
        self._lines, self._less = np.zeros(sound, np.float32), np.zeros(less, np.float32)
        self._kept, self._lowest = np.ones((MOST_MIXES, long), np.float32), np.ones(MOST_MIXES, np.float32)
        self._last, self._down = np.zeros((2, MOST_MIXES), np.float32)
        self._at, self._quiet = np.zeros(MOST_MIXES, np.intp), np.full(MOST_MIXES, 1 << 40)

    def clear(self, slot: int) -> None:
        for each in (self._lines, self._less, self._last, self._down, self._at):
            each[slot] = 0
        for each in (self._kept, self._lowest):
            each[slot] = 1
        self._quiet[slot] = 1 << 40

    def copy(self, other: "_Lines") -> None:
        for name in ("_lines", "_less", "_kept", "_lowest", "_last", "_down", "_at", "_quiet"):
            getattr(self, name)[:] = getattr(other, name)

    def apply(self, mixes: Floats, slots: Places, ceilings: Floats, true_peak: Flags, least: Floats) -> None:
        limiting.limit(
            mixes, slots, ceilings, true_peak, _TAPS, self._ahead, self._ease, self._recover, self._lines, self._last,
            self._kept, self._lowest, self._at, self._down, self._less, self._quiet, least,
        )


class Limiter:
    """Belongs to the block path. Arrays are by slot, of which each mix has one as long as it is there."""

    def __init__(self, rate_hz: int, period: int) -> None:
        self.delay_samples = look_ahead_samples(rate_hz)
        self._curve, self._settle = gliding(rate_hz, GLIDE_S), round(SETTLE_S * rate_hz)
        self._lines, self._lines_next = _Lines(rate_hz, period), _Lines(rate_hz, period)
        self._beside = np.zeros((2 * MOST_MIXES, period), np.float32)
        self._of: Prepared | None = None
        self._slots: dict[int, int] = {}
        """By the mix's id."""
        self._order = np.zeros(0, np.intp)
        """The slot of each mix of the plan."""
        self._ceilings, self._ceilings_next = np.full((2, MOST_MIXES), NO_LIMIT, np.float32)
        self._true_peak, self._true_peak_next = np.zeros((2, MOST_MIXES), np.bool_)
        self._done: int | None = None
        self._settled = True
        """Whether what is wanted is in use."""
        self._least, self._unseen = np.ones((2, MOST_MIXES), np.float32)
        # Compiled, or fetched, before the first block.
        silence = np.zeros((2, period), np.float32)
        self._lines.apply(silence, np.zeros(1, np.intp), self._ceilings, self._true_peak, self._least)

    def apply(self, mixes: Floats, prepared: Prepared) -> None:
        """In place, (2 x mixes, samples)."""
        if prepared is not self._of:
            self._take_up(prepared)
        if not self._settled and self._done is None:
            self._begin(prepared)
        if self._done is None:
            self._lines.apply(mixes, self._order, self._ceilings, self._true_peak, self._least)
            return
        count = mixes.shape[1]
        beside = self._beside[: len(mixes), :count]
        beside[:] = mixes
        self._lines.apply(mixes, self._order, self._ceilings, self._true_peak, self._least)
        self._lines_next.apply(beside, self._order, self._ceilings_next, self._true_peak_next, self._unseen)
        mixes += along(self._curve, self._done, count) * (beside - mixes)
        self._done += count
        if self._done >= len(self._curve):
            self._lines, self._lines_next, self._done = self._lines_next, self._lines, None
            self._ceilings[:], self._true_peak[:] = self._ceilings_next, self._true_peak_next

    def taken(self) -> dict[int, float]:
        """The lowest gain of each mix since the last time, by the mix's id; 1 where it did nothing."""
        got = {id_: float(self._least[slot]) for id_, slot in list(self._slots.items())}
        self._least[:] = 1.0
        return got

    def _take_up(self, prepared: Prepared) -> None:
        """The mixes of another plan: those of both go on."""
        new = [m.id for m in prepared.plan.mixes]
        kept = {id_: self._slots[id_] for id_ in new if id_ in self._slots}
        free = iter(sorted(set(range(MOST_MIXES)) - set(kept.values())))
        for n, id_ in enumerate(new):
            if id_ not in kept:
                slot = next(free)
                kept[id_], self._least[slot] = slot, 1.0
                self._lines.clear(slot)
                self._lines_next.clear(slot)
                self._ceilings[slot] = self._ceilings_next[slot] = prepared.ceilings[n] * _SAFE
                self._true_peak[slot] = self._true_peak_next[slot] = prepared.true_peak[n]
        self._slots = {id_: kept[id_] for id_ in new}
        self._order = np.array(list(self._slots.values()), np.intp)
        self._of, self._settled = prepared, False

    def _begin(self, prepared: Prepared) -> None:
        """Settings that are not those in use come in."""
        order, self._settled = self._order, True
        ceilings, true_peak = prepared.ceilings * _SAFE, prepared.true_peak
        if np.array_equal(self._ceilings[order], ceilings) and np.array_equal(self._true_peak[order], true_peak):
            return
        self._ceilings_next[order], self._true_peak_next[order] = ceilings, true_peak
        self._lines_next.copy(self._lines)
        self._done = -self._settle


def clip(sound: Floats) -> None:
    """At full scale, in place; as ``np.clip``, which takes longer to begin."""
    np.minimum(sound, _FULL, out=sound)
    np.maximum(sound, -_FULL, out=sound)

"""Reverbs: what was sent, without its lows and a little later, sounds in a space; nothing dry comes out."""

import numpy as np
from numpy.typing import NDArray
from pedalboard import Reverb as Room

from cattailer.core.mix.effects import Reverb, ranges
from cattailer.core.mix.equalising import low_cut
from cattailer.core.mix.flow import Insert
from cattailer.core.sound.curves import along, gliding
from cattailer.engine.effects import kernels
from cattailer.engine.effects.bank import Bank
from cattailer.engine.effects.strips import SETTLE_S

Floats = NDArray[np.float32]
Doubles = NDArray[np.float64]
_SPACES = {
    "pantry": {"room_size": 0.25, "damping": 0.75, "width": 0.6},
    "grain barn": {"room_size": 0.72, "damping": 0.55, "width": 1.0},
    "stone stair": {"room_size": 0.9, "damping": 0.15, "width": 0.85},
}
_OWN, _GLIDE_S = 50.0, 0.12
_GRAIN = 64
"""Damping moves in steps of that many samples, which the room itself rounds."""

_MOVES = ("_room", "_cut", "_line", "_now", "_next", "_done")


class Space:
    """One reverb, on a pair of rows. New settings come in over a glide; what is asked for meanwhile waits until that is
    over, the newest only. One that is off gives nothing, and begins with nothing in it."""

    latency_samples = 0

    def __init__(self, insert: Insert, first: int, rate_hz: int, period: int) -> None:
        assert insert.effects.reverb is not None
        kernels.warm_up()
        self._now = insert.effects.reverb
        self.key, self.name = insert.key, self._now.space
        self.rows = np.arange(insert.first - first, insert.first - first + insert.channels)
        self._own = slice(int(self.rows[0]), int(self.rows[-1]) + 1)
        self._rate, self._period, channels = rate_hz, period, insert.channels
        self._curve, self._feed = gliding(rate_hz, _GLIDE_S), gliding(rate_hz, SETTLE_S)
        self._unmoved = np.ones(period)
        self._wanted: Reverb | None = None
        self._next: Reverb | None = None
        self._done = 0
        self._sound = np.zeros((period, channels))
        self._cut = Bank(self._cut_of(self._now), period)
        self._line = _Line(channels, self._late(ranges("reverb")["predelay_ms"].high) + period)
        self._room = Room(wet_level=1.0 / 3.0, dry_level=0.0, freeze_mode=0.0, **_SPACES[self.name])
        self._room.damping = _damping(self._now)
        self._silence = np.zeros((channels, period), np.float32)
        self._empty()

    def share(self, other: "Space") -> None:
        """Sounds on in the same space, with the tail that is in it, and is then set as this one is."""
        self._wanted = self._now
        for name in _MOVES:
            setattr(self, name, getattr(other, name))

    def ask(self, reverb: Reverb) -> None:
        """In the block path."""
        self._wanted = reverb

    def process(self, block: Floats) -> None:
        """Shape (rows of the level, samples), in place."""
        done, count = 0, block.shape[1]
        while done < count:
            if self._wanted is not None and self._next is None:
                self._begin()
            left = count - done if self._next is None else min(count - done, len(self._curve) - self._done, _GRAIN)
            self._process(block[self._own, done : done + left])
            done += left

    def _process(self, block: Floats) -> None:
        now, coming, count = self._now, self._next, block.shape[1]
        if coming is None and not now.on:
            block[:] = 0.0
            return
        if coming is None:
            still = self._unmoved[:count]
            block[:] = self._sounded(block if _straight(now) else self._before(now, None, block, still, still))
            return
        fed = along(self._feed, self._done + len(self._feed), count).astype(np.float64)
        weight = along(self._curve, self._done, count).astype(np.float64)
        self._room.damping = float(np.interp(weight[-1], [0.0, 1.0], [_damping(now), _damping(coming)]))
        block[:] = self._sounded(self._before(now, coming, block, fed, weight))
        if not (now.on and coming.on):
            block *= now.on + (coming.on - now.on) * weight
        self._done += count
        if self._done >= len(self._curve):
            self._cut.end()
            self._now, self._next = coming, None

    def _before(self, now: Reverb, coming: Reverb | None, block: Floats, fed: Doubles, weight: Doubles) -> Doubles:
        """What comes to the room: without its lows, and later. A room that was off, and a line that was not kept, get
        their sound little by little."""
        count = block.shape[1]
        sound = self._sound[:count]
        np.copyto(sound, block.T)
        self._cut.process(sound, fed, weight)
        straight = sound.T if now.on else sound.T * fed
        if now.predelay_ms == 0.0 and (coming is None or coming.predelay_ms == 0.0):
            return straight
        self._line.put(straight if now.predelay_ms else straight * fed)
        late = self._line.taken(self._late(now.predelay_ms), count) if now.predelay_ms else straight
        if coming is not None and coming.predelay_ms != now.predelay_ms:
            later = self._line.taken(self._late(coming.predelay_ms), count) if coming.predelay_ms else straight
            late = late + weight * (later - late)
        return late

    def _sounded(self, sent: NDArray[np.floating]) -> Floats:
        return self._room.process(np.ascontiguousarray(sent, np.float32), float(self._rate), self._period, False)

    def _begin(self) -> None:
        coming, self._wanted = self._wanted, None
        assert coming is not None
        if coming == self._now:
            return
        if not self._now.on:
            self._empty()
        elif not self._now.predelay_ms:
            self._line.clear()
        self._next, self._done = coming, -len(self._feed)
        self._cut.begin(self._cut_of(coming))

    def _empty(self) -> None:
        """The room is told of the longest block at once: a longer one than any before would empty it."""
        self._room.reset()
        self._room.process(self._silence, float(self._rate), self._period, False)
        self._cut.clear(slice(0, len(self.rows)))
        self._line.clear()

    def _cut_of(self, reverb: Reverb) -> Doubles:
        """Shape (1, 5, rows)."""
        return np.repeat(low_cut(reverb.cut_hz, self._rate)[:, :, None], len(self.rows), axis=2)

    def _late(self, ms: float) -> int:
        return round(ms * self._rate / 1000.0)


def _straight(reverb: Reverb) -> bool:
    """Whether what is sent comes to the room as it is."""
    return reverb.predelay_ms == 0.0 and reverb.cut_hz == 0.0


def _damping(reverb: Reverb) -> float:
    """The space's own at 50 %, none at 0 and all there is at 100."""
    own = _SPACES[reverb.space]["damping"]
    return float(np.interp(reverb.damping, [0.0, _OWN, 100.0], [0.0, own, 1.0]))


class _Line:
    """The last ``samples`` of some rows, in a circle."""

    def __init__(self, rows: int, samples: int) -> None:
        self._kept, self._at = np.zeros((rows, samples)), 0

    def put(self, sound: Doubles) -> None:
        """Shape (rows, samples)."""
        count, size = sound.shape[1], self._kept.shape[1]
        first = min(count, size - self._at)
        self._kept[:, self._at : self._at + first] = sound[:, :first]
        self._kept[:, : count - first] = sound[:, first:]
        self._at = (self._at + count) % size

    def taken(self, late: int, count: int) -> Doubles:
        """The last ``count`` samples as they were ``late`` samples before, shape (rows, count)."""
        size = self._kept.shape[1]
        begin = (self._at - count - late) % size
        first = min(count, size - begin)
        return np.concatenate([self._kept[:, begin : begin + first], self._kept[:, : count - first]], axis=1)

    def clear(self) -> None:
        self._kept[:] = 0.0

"""Effects that are captured too, on the tracks that print them: what ears get at the point *Effects*, from the
same ring.

The effects run again in the thread that writes, so the block path does nothing for it: it only notes at which sample
something was moved, and the writer moves it there. They run all the time, whether or not anything is captured, so that
what is printed does not depend on where a run begins; of their state a copy is kept every now and then, and a run that
begins in the past goes on from one.
"""

from bisect import bisect_left, bisect_right
from collections import deque
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, replace
from operator import itemgetter

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.effects import Effects
from cattailer.core.mix.flow import Insert
from cattailer.core.plan import Plan
from cattailer.engine.block.ring import Ring
from cattailer.engine.effects.strips import Settings, Strips

Floats = NDArray[np.float32]
CHUNK = 512
KEPT_S = 2.0
"""So often a state is kept."""
FAILED = "The effects of {} failed, so that track is captured without them from here on."


@dataclass(frozen=True)
class Printed:
    """A track that prints its effects; ``inputs`` are the rows of the ring that feed it."""

    name: str
    inputs: tuple[int, ...]
    effects: Effects


Printing = Mapping[int, Printed]


def printing(plan: Plan) -> Printing:
    """By track."""
    return {t.id: Printed(t.name, t.inputs, t.effects) for t in plan.tracks if t.prints and t.effects}


class _Chain:
    """The effects of some tracks, as far as they have gone."""

    def __init__(self, tracks: Printing, rate_hz: int, before: "_Chain | None" = None) -> None:
        self.tracks, self._rate = tracks, rate_hz
        self.strips = Strips(_inserts(tracks), 0, rate_hz, CHUNK) if tracks else None
        if before is not None and self.strips is not None:
            self.strips.take_over(before.strips)

    def moved(self, tracks: Printing) -> "_Chain":
        """The same, on its way to other settings; another one where there are other tracks."""
        if [(n, len(t.inputs)) for n, t in tracks.items()] != [(n, len(t.inputs)) for n, t in self.tracks.items()]:
            return _Chain(tracks, self._rate, self)
        if self.strips is not None and any(t.effects != self.tracks[id_].effects for id_, t in tracks.items()):
            self.strips.ask(Settings.of(_inserts(tracks), self._rate))
        self.tracks = tracks
        return self

    def copy(self, only: Collection[int]) -> "_Chain":
        """Goes on by itself from here, with some of the tracks."""
        return _Chain({id_: t for id_, t in self.tracks.items() if id_ in only}, self._rate, self)

    def process(self, sound: Floats) -> list[str]:
        """All rows of its tracks, in place. The names of those whose effects failed just now: they are left as they
        came, from here on."""
        assert self.strips is not None
        came = sound.copy()
        try:
            self.strips.process(sound)
            wrong = np.flatnonzero(~np.isfinite(sound.sum(axis=1)))
            failed = self.strips.let_out(wrong.tolist()) if len(wrong) else []
            sound[wrong] = came[wrong]
        except Exception:  # whatever it is, the sound itself is captured
            sound[:] = came
            failed = self.strips.let_out(range(len(sound)))
        return [self.tracks[int(key)].name for key in failed]


class Prints:
    """Used by the thread that writes; only ``note`` is called by the block path."""

    def __init__(self, ring: Ring, rate_hz: int, tracks: Printing) -> None:
        self._ring, self._rate = ring, rate_hz
        self._noted: deque[tuple[int, Printing]] = deque()
        self._moves: list[tuple[int, Printing]] = []
        """What was noted, from the oldest state that is kept on."""
        self._now = _Chain(tracks, rate_hz)
        self._kept: deque[tuple[int, _Chain]] = deque([(0, self._now.copy(tracks))])
        self.at = 0
        """As far as the effects have gone."""

    def note(self, sample: int, tracks: Printing) -> None:
        """From ring sample ``sample`` on these tracks print."""
        self._noted.append((sample, tracks))

    def advance(self) -> None:
        """Has the effects hear what has come."""
        until = self._ring.written
        while self._noted:
            sample, tracks = self._noted.popleft()
            if tracks != (self._moves[-1][1] if self._moves else self._now.tracks):
                self._moves.append((sample, tracks))
        self.at = max(self.at, min(until, self._ring.oldest))
        if not self._now.tracks and not self.moves(self.at, until):
            self.at = until  # nobody prints
        while self.at < until:
            self.at = self._go_on(until)

    def _go_on(self, until: int) -> int:
        for _, tracks in self.moves(self.at, self.at + 1):
            moved = self._now.moved(tracks)
            if moved is not self._now:
                self._now = moved
                self._keep(self.at)
        stop = min([until, self.at + CHUNK, *(sample for sample, _ in self.moves(self.at + 1, self.at + CHUNK))])
        sound = self._ring.read(self.at, stop, _rows(self._now.tracks)) if self._now.tracks else None
        if sound is not None:
            self._now.process(sound)
            if stop - self._kept[-1][0] >= KEPT_S * self._rate:
                self._keep(stop)
        return stop

    def _keep(self, sample: int) -> None:
        self._kept.append((sample, self._now.copy(self._now.tracks)))
        while len(self._kept) > 1 and self._kept[1][0] <= self._ring.oldest:
            self._kept.popleft()
        del self._moves[: bisect_left(self._moves, self._kept[0][0], key=itemgetter(0))]

    def moves(self, start: int, stop: int) -> list[tuple[int, Printing]]:
        """What was moved in [start, stop)."""
        first, last = (bisect_left(self._moves, sample, key=itemgetter(0)) for sample in (start, stop))
        return self._moves[first:last]

    def begin(self, first: int, tracks: Printing) -> tuple[int, _Chain]:
        """Effects for a run that begins at ring sample ``first``, and as far as they have gone: not further than that.
        ``tracks`` is what they are set to where nothing else is known."""
        sample, kept = self._kept[max(0, bisect_right(self._kept, first, key=itemgetter(0)) - 1)]
        if any(id_ not in kept.tracks for id_ in tracks):
            return first, _Chain(tracks, self._rate)
        return sample, kept.copy(tracks)


class RunPrints:
    """The effects of one run. ``rows`` are those of its blocks, by track; ``tell`` hears of effects that failed."""

    def __init__(
        self, prints: Prints, ring: Ring, tracks: Printing, rows: Mapping[int, slice], tell: Callable[[str], None]
    ) -> None:
        self._prints, self._ring, self._tracks, self._tell = prints, ring, tracks, tell
        self._rows = np.concatenate([np.arange(rows[id_].start, rows[id_].stop) for id_ in tracks])
        self._chain: _Chain | None = None

    @property
    def known(self) -> int:
        """Up to this ring sample it is known what was moved."""
        return self._prints.at

    def process(self, block: Floats, at: int) -> None:
        """What the ring holds from ``at`` on, all rows of the run, in place. Before the first block the effects hear
        what came before it."""
        if self._chain is None:
            since, self._chain = self._prints.begin(at, self._tracks)
            before = self._ring.read(since, at, _rows(self._tracks)) if since < at else None
            if before is not None:
                self._hear(before, since, lambda _: None)
        sound = block[self._rows]
        self._hear(sound, at, self._tell)
        block[self._rows] = sound

    def _hear(self, sound: Floats, at: int, tell: Callable[[str], None]) -> None:
        assert self._chain is not None
        done, count = 0, sound.shape[1]
        while done < count:
            for _, tracks in self._prints.moves(at + done, at + done + 1):
                now = self._chain.tracks
                self._chain.moved({id_: replace(t, effects=tracks.get(id_, t).effects) for id_, t in now.items()})
            stop = min(done + CHUNK, count)
            stop = min([stop, *(sample - at for sample, _ in self._prints.moves(at + done + 1, at + stop))])
            for name in self._chain.process(sound[:, done:stop]):
                tell(FAILED.format(name))
            done = stop


def _inserts(tracks: Printing) -> list[Insert]:
    out: list[Insert] = []
    for id_, track in tracks.items():
        first = out[-1].first + out[-1].channels if out else 0
        out.append(Insert(str(id_), first, len(track.inputs), track.effects))
    return out


def _rows(tracks: Printing) -> NDArray[np.intp]:
    return np.array([row for track in tracks.values() for row in track.inputs], np.intp)

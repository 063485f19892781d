"""Players: they rest, give a level check, play as in performance, or follow the timeline."""

import bisect
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from cattailer.core.time.timeline import TempoMap
from cattailer.core.units import amplitude
from cattailer.liveroom import instruments, lateness, tune

Floats = NDArray[np.float32]

CHECK_DB = -6.0
"""People check softer than they play."""

RUN_THROUGH_DB = -3.0
MOST_NOTES = 300
"""Kept for the next room: an interface that is opened again, at another buffer or for another session, is there at
once. All parts together are 180."""
CHECK_QUARTERS = 8 * tune.BEATS


@dataclass(frozen=True)
class Stretch:
    """From room sample ``since`` on: silent, or at timeline position ``position`` and counting, None for the tune's
    beginning.

    ``loop_quarters`` is how much of the tune comes round and round. Who was ``counted_in`` knows when to begin, and
    may be a little early.
    """

    since: int
    playing: bool
    position: int | None = None
    gain_db: float = 0.0
    seed: int = 0
    loop_quarters: int = tune.QUARTERS
    counted_in: bool = False


@dataclass(frozen=True)
class Hearing:
    """What a player hears while they play: themselves so late, or not at all in the headphones that they wear; ``lost``
    is who wears headphones without a click."""

    late_ms: float = 0.0
    unheard: bool = False
    lost: bool = False


@dataclass(frozen=True)
class _Humanity:
    """One time through: lateness in samples, force factors; force 0 is a missed note."""

    late: list[int]
    force: list[float]


class Player:
    """One player and their part. ``sources`` are (source row, instrument) that sound together."""

    def __init__(self, name: str, rows: tuple[tuple[int, str], ...], rate_hz: int, tempo: TempoMap) -> None:
        self.name = name
        self.mode = "follow"
        self.loud_db = 0.0
        self.hearing = Hearing()
        self._rows = rows
        self._rate = rate_hz
        self._notes = tune.parts()[name]
        self._stretches: list[Stretch] = [Stretch(-(1 << 40), False)]
        self._human = lru_cache(maxsize=8)(self._make_human)
        self._longest = 0
        self.set_tempo(tempo)

    def set_tempo(self, tempo: TempoMap) -> None:
        self._tempo = tempo
        self._lap = lru_cache(maxsize=8)(self._make_lap)
        self._borders: dict[int, list[int]] = {}
        starts = self._lap(0, tune.QUARTERS)
        ends = [tempo.sample_at(n.quarter + n.quarters) for n in self._notes]
        rings = self.name in instruments.RINGS_ON
        tenths = [
            0 if rings else max(1, round(10 * (b - a) / self._rate))
            for a, b in zip(starts, ends, strict=True)
        ]
        self._warm(tenths)

    def _make_lap(self, lap: int, quarters: int) -> list[int]:
        """The timeline samples at which the notes of the tune, or of its first ``quarters``, begin for the ``lap``-th
        time, as the tempo map has them."""
        offset = Fraction(lap * quarters)
        return [self._tempo.sample_at(offset + n.quarter) for n in self._notes if n.quarter < quarters]

    def _lap_at(self, sample: int, quarters: int) -> int:
        """Which time round a timeline sample lies in; -1 before the tune."""
        borders = self._borders.setdefault(quarters, [self._tempo.bar_one])
        while borders[-1] <= sample:
            borders.append(self._tempo.sample_at(Fraction(len(borders) * quarters)))
        return bisect.bisect_right(borders, sample) - 1

    def begin(self, *stretches: Stretch) -> None:
        """Sets what is played from the first stretch on; forgets what was planned after that."""
        kept = [s for s in self._stretches if s.since < stretches[0].since]
        self._stretches = [*kept[-4:], *stretches]

    def _warm(self, tenths: list[int]) -> None:
        """Renders every note of the part, so that none is rendered while playing."""
        self._sounds = [
            [(row, _note(self._rate, self.name, instrument, note.pitch, length)) for row, instrument in self._rows]
            for note, length in zip(self._notes, tenths, strict=True)
        ]
        self._longest = max(len(sound) for note in self._sounds for _, sound in note)

    def add_to(self, sources: Floats, offset: int, start: int, stop: int) -> None:
        """Adds what sounds in room samples [start, stop) to ``sources[row, offset:…]``."""
        slack = self._slack()
        for n, stretch in enumerate(self._stretches):
            until = self._stretches[n + 1].since if n + 1 < len(self._stretches) else 1 << 60
            first = max(stretch.since, start - self._longest - slack)
            last = min(until, stop + slack)
            if stretch.playing and first < last:
                self._add_stretch(stretch, first, last, sources, offset, start, stop)

    def _slack(self) -> int:
        """The furthest that a note is off, in samples."""
        late_ms, unheard = self.hearing.late_ms, self.hearing.unheard
        furthest_ms = lateness.drag_ms(late_ms) + lateness.WIDEST * lateness.scatter_ms(late_ms, unheard)
        if self.hearing.lost:
            furthest_ms += lateness.WANDER_MS
        return int(furthest_ms * self._rate / 1000.0)

    def _add_stretch(
        self, stretch: Stretch, first: int, last: int, sources: Floats, offset: int, start: int, stop: int
    ) -> None:
        """Adds the notes of one stretch whose nominal start lies in [first, last)."""
        gain = amplitude(stretch.gain_db + self.loud_db)
        zero = stretch.since - (self._tempo.bar_one if stretch.position is None else stretch.position)
        earliest = stretch.since - (self._slack() if stretch.counted_in else 0)
        quarters = stretch.loop_quarters
        last_lap = self._lap_at(last - 1 - zero, quarters)
        for lap in range(max(0, self._lap_at(first - zero, quarters)), last_lap + 1):
            starts = self._lap(lap, quarters)
            low = bisect.bisect_left(starts, first - zero)
            high = bisect.bisect_left(starts, last - zero)
            if low == high:
                continue
            human = self._human(stretch.seed + lap, self.hearing)
            for i in range(low, high):
                at = max(earliest, zero + starts[i] + human.late[i])
                force = self._notes[i].force * human.force[i] * gain
                if at >= stop or not force:
                    continue
                for row, sound in self._sounds[i]:
                    a, b = max(start, at), min(stop, at + len(sound))
                    if a < b:
                        target = sources[row, offset + a - start : offset + b - start]
                        target += sound[a - at : b - at] * np.float32(force)

    def _make_human(self, seed: int, hearing: Hearing) -> _Humanity:
        """How this player plays this pass; a mishap happens about once in two passes."""
        rng = np.random.default_rng([abs(seed), sum(map(ord, self.name))])
        count = len(self._notes)
        off = np.clip(rng.normal(0, 1, count), -lateness.WIDEST, lateness.WIDEST)
        late_ms = lateness.drag_ms(hearing.late_ms) + lateness.scatter_ms(hearing.late_ms, hearing.unheard) * off
        if hearing.lost:
            own = sum(map(ord, self.name))
            late_ms += np.array([lateness.wander_ms(float(n.quarter), own) for n in self._notes])
        uneven = lateness.FORCE_UNHEARD if hearing.unheard else lateness.FORCE
        force = np.clip(rng.normal(1.0, uneven, count) * rng.uniform(0.94, 1.04), 0.6, 1.15)
        if rng.random() < 0.5:
            force[int(rng.integers(count))] = 0.0
        return _Humanity((late_ms / 1000.0 * self._rate).astype(int).tolist(), force.tolist())


@lru_cache(maxsize=MOST_NOTES)
def _note(rate_hz: int, player: str, instrument: str, pitch: float, tenths: int) -> Floats:
    hz = 440.0 * 2.0 ** ((pitch - 69.0) / 12.0)
    # One string, whoever hears it: a pickup and a microphone differ in colour, not in the note.
    seed = [int(pitch * 16), tenths, sum(map(ord, player))]
    made = instruments.BY_NAME[instrument](rate_hz, hz, tenths / 10.0, np.random.default_rng(seed))
    made.flags.writeable = False
    return made


def stretches_for(
    mode: str, since: int, rolling: bool, position: int, seed: int, entry: int = 0
) -> tuple[Stretch, ...]:
    """What a player asked to ``mode`` does from ``since`` on, the timeline being as told.

    ``position`` is the timeline's at ``since`` while it rolls; before ``entry`` followers are counted in. While it
    stands still, they run through the tune by themselves, a little softer.
    """
    if mode == "rest":
        return (Stretch(since, False),)
    if mode == "check":
        return (Stretch(since, True, None, CHECK_DB, seed, CHECK_QUARTERS),)
    if mode == "follow" and rolling:
        if position < entry:
            return Stretch(since, False), Stretch(since + entry - position, True, entry, 0.0, seed, counted_in=True)
        return (Stretch(since, True, position, 0.0, seed),)
    gain = 0.0 if mode == "perform" else RUN_THROUGH_DB
    return (Stretch(since, True, None, gain, seed),)

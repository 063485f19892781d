"""Whether joins are heard: random comps of held tones and of noise, split, trimmed, moved, tightened, punched and layered.

Of every join of sides that sound alike it tells by how much the power around it differs from that of the two sides, and
of every join how much larger a step between two samples is than the largest of what was captured.

usage: python bench/joins.py [COMPS [SEED]]
"""

import random
import sys
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import cached_property

import numpy as np
from common import tell
from numpy.typing import NDArray

from cattailer.core.comps import laying
from cattailer.core.comps.comppiece import CompPiece, Pieces, numbered
from cattailer.core.comps.crossing import HEARD_S, Meeting, known, meet, usual_samples
from cattailer.core.comps.ontop import TakeSpan, heard
from cattailer.core.comps.sounding import Stretch, TakeSound, crossing, sound_of, unfaded
from cattailer.core.comps.tightening import tightened
from cattailer.core.errors import Refusal
from cattailer.core.time.timeline import Meter, Tempo, TempoMap
from cattailer.media.piecesound import heard_between
from cattailer.services.sounding.meetings import both_sides

RATE, LONG, KEPT = 48_000, 10 * 48_000, 48_000
TEMPO = TempoMap(RATE, (Tempo(Fraction(0), Fraction(120)),), (Meter(1, 4, 4),))
Sound = NDArray[np.float32]


@dataclass
class Room:
    """Four takes, each with a second that was kept before and after it; in files that are in memory."""

    sounds: dict[str, Sound]
    period: int
    """Of a tone, in samples; 0 for noise."""
    takes: dict[int, TakeSound] = field(default_factory=dict)

    @cached_property
    def largest(self) -> float:
        """The largest step between two samples of what was captured."""
        return max(float(np.abs(np.diff(s)).max()) for s in self.sounds.values())

    def read(self, path: str, at: int, count: int) -> Sound:
        found: Sound = self.sounds[path][None, at : at + count]
        return found

    def meets(self, before: CompPiece, after: CompPiece, samples: int) -> Meeting:
        alike = known(before, after)
        if alike is not None:
            return Meeting(0, samples or usual_samples(alike, RATE), alike)
        sides = both_sides(before, after, self.takes, max(round(HEARD_S * RATE), samples), self.read)
        if sides is None:
            return Meeting(0, samples or usual_samples(0.0, RATE), 0.0)
        return meet(sides.before, sides.after, after.start - sides.start, samples, RATE)

    def side(self, piece: CompPiece, first: int, last: int) -> Sound:
        """What a take sounds like there at the piece's gain, beyond the piece too."""
        over = replace(piece, start=first, samples=last - first, offset=first - piece.moved)
        heard: Sound = heard_between(unfaded(over, self.takes), first, last, 1, self.read)[0]
        return heard


def room(drawn: random.Random) -> Room:
    rng = np.random.default_rng(drawn.getrandbits(32))
    length = LONG + 2 * KEPT
    # A whole number of samples a period, so that a period's power is a sine's to the last digit.
    period = 0 if drawn.random() < 0.4 else drawn.choice((24, 60, 96, 109, 200, 436, 600))
    made = Room({}, period)
    for take in range(1, 5):
        if period:
            sound = 0.3 * np.sin(2 * np.pi * (np.arange(length) / period + drawn.random()))
        else:
            sound = 0.1 * rng.standard_normal(length)
        made.sounds[str(take)] = sound.astype(np.float32)
        made.takes[take] = TakeSound(take, (Stretch(-KEPT, LONG + KEPT, str(take), 0),))
    return made


def comp(drawn: random.Random) -> Pieces:
    """As somebody makes one: takes laid over one another, or punches without one, then a dozen edits."""
    if drawn.random() < 0.3:
        spans = [TakeSpan(1, 0, LONG, 1)]
        for take in (2, 3, 4):
            start = drawn.randrange(RATE, LONG - 2 * RATE)
            spans.append(TakeSpan(take, start, drawn.randrange(RATE // 4, RATE), take, start, drawn.random() < 0.2))
        pieces = heard(spans)
    else:
        pieces = (CompPiece(1, 0, LONG, 0),)
        for _ in range(drawn.randrange(1, 6)):
            start = drawn.randrange(0, LONG - RATE)
            pieces = laying.lay(pieces, CompPiece(drawn.randrange(1, 5), start, drawn.randrange(300, RATE), start))
    for _ in range(12):
        pieces = numbered(pieces)
        try:
            pieces = _edited(drawn, pieces)
        except Refusal:
            continue
    return numbered(pieces)


def _edited(drawn: random.Random, pieces: Pieces) -> Pieces:
    piece = drawn.choice(pieces)
    kind = drawn.randrange(6)
    if kind == 0:
        return laying.split(pieces, drawn.randrange(piece.start, piece.stop + 1))
    if kind == 1:
        return laying.move(pieces, piece.start, drawn.randrange(-2000, 2000))
    if kind == 2:
        reach = (-KEPT, LONG + KEPT)
        return laying.trim(pieces, piece.start, piece.start + drawn.randrange(-900, 900), piece.stop + drawn.randrange(-900, 900), reach)
    if kind == 3:
        notes = sorted(drawn.sample(range(piece.start, piece.stop), min(4, piece.samples)))
        return tightened(pieces, notes, TEMPO, 4, drawn.random())[0]
    if kind == 4:
        return laying.erase(pieces, at := drawn.randrange(LONG), at + drawn.randrange(1, 4000))
    return laying.with_gain(pieces, piece.start, drawn.choice((-0.1, 0.1, 0.0)))


def joins(of: Room, pieces: Pieces) -> Iterator[tuple[CompPiece, CompPiece, int, int]]:
    """Every join: both pieces, and where they cross."""
    for layer in {p.layer for p in pieces}:
        one = [p for p in pieces if p.layer == layer]
        for before, after in zip(one, one[1:], strict=False):
            if before.stop == after.start:
                crosses = crossing(before, after, of.takes, RATE, of.meets)
                yield before, after, *(crosses[:2] if crosses else (after.start, after.start))


def main() -> None:
    comps, seed = (int(a) for a in (*sys.argv[1:], "1000", "1")[:2])
    drawn = random.Random(seed)
    count = measured = over = steps = overlaps = 0
    worst_db, worst_step = [], 0.0
    for _ in range(comps):
        of, pieces = room(drawn), comp(drawn)
        for layer in {p.layer for p in pieces}:
            one = [p for p in pieces if p.layer == layer]
            overlaps += sum(a.stop > b.start for a, b in zip(one, one[1:], strict=False))
        for before, after, start, stop in joins(of, pieces):
            count += 1
            # One layer at a time: what sounds with it is another join's matter.
            found = sound_of(1, tuple(p for p in pieces if p.layer == after.layer), of.takes, RATE, of.meets)
            # Power is heard over 20 ms or more, and a tone's over whole periods.
            wide = -(-960 // of.period) * of.period if of.period else 960
            first, last = start - wide, stop + wide
            if min(before.samples, after.samples) < 2 * wide or last > LONG:
                continue  # another join is in the window
            measured += 1
            sound = heard_between(found, first, last, 1, of.read)[0].astype(np.float64)
            own = [of.side(p, first, last).astype(np.float64) for p in (before, after)]
            gain = 10 ** (max(before.gain_db, after.gain_db) / 20)
            step = np.abs(np.diff(sound)).max() / (gain * of.largest)
            worst_step = max(worst_step, step)
            steps += int(step > 1.0)
            windows = [slice(n, n + wide) for n in range(0, len(sound) - wide + 1, max(1, wide // 8))]
            power = [(sound[w] ** 2).mean() for w in windows]
            sides = [[(s[w] ** 2).mean() for s in own] for w in windows]
            off = [10 * np.log10(p / x) for p, both in zip(power, sides, strict=True) for x in [np.clip(p, min(both), max(both))]]
            bad = max(np.abs(off), default=0.0)
            worst_db.append(float(bad))
            over += int(bad > 0.5)
    tell(
        comps=comps, joins=count, measured=measured, overlaps=overlaps, over_half_a_db=over,
        worst_db=round(max(worst_db, default=0.0), 2), steps_above_their_own=steps, largest_step=round(float(worst_step), 3),
    )


if __name__ == "__main__":
    main()

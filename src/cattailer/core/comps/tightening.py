"""Notes moved to the grid: pieces are cut a little before each note and moved, and nothing is stretched."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import pairwise

import numpy as np

from cattailer.core.comps.comppiece import CompPiece, Pieces
from cattailer.core.comps.laying import joined
from cattailer.core.errors import Refusal
from cattailer.core.time.timeline import TempoMap
from cattailer.core.units import milliseconds

BEFORE_S = 0.008
"""How far before a note its piece begins: what fades in there is over when the note comes."""
DIVISIONS = {
    "1": "the beat", "2": "half a beat", "3": "a third of a beat", "4": "a quarter of a beat", "6": "a sixth of a beat",
}


@dataclass(frozen=True)
class Drift:
    """How notes lie against the grid, in ms: the median (late is positive), and how far the middle half of them is
    apart."""

    notes: int
    median_ms: float
    scatter_ms: float


def to_grid(at: int, tempo: TempoMap, division: int) -> int:
    """The nearest line of a grid of so many divisions a beat."""
    beat = tempo.meter_of(max(1, tempo.bar_beat_at(at).bar)).beat_quarters / division
    quarter = tempo.quarter_at(at)
    line = Fraction(round(quarter / beat)) * beat
    return min((tempo.sample_at(line + n * beat) for n in (-1, 0, 1)), key=lambda s: abs(s - at))


def drift(notes: Sequence[int], tempo: TempoMap, division: int) -> Drift:
    return spread([milliseconds(at - to_grid(at, tempo, division), tempo.rate_hz) for at in notes])


def spread(late: Sequence[float]) -> Drift:
    """Of how late notes are, in ms."""
    if not late:
        return Drift(0, 0.0, 0.0)
    low, middle, high = np.percentile(late, [25, 50, 75])
    return Drift(len(late), float(middle), float(high - low))


def tightened(
    pieces: Pieces, notes: Sequence[int], tempo: TempoMap, division: int, strength: float,
    within: tuple[int, int] | None = None,
) -> tuple[Pieces, list[int]]:
    """Pieces with their notes moved to the grid by a share of the way, ``strength`` 0 to 1, and where the notes are
    then; of a stretch [start, stop), only its notes and its sound. Where two notes go apart, what rang before the later
    one fills the place between them.

    Raises Refusal for a grid or a strength that does not exist.
    """
    if str(division) not in DIVISIONS or not 0.0 <= strength <= 1.0:
        raise Refusal("Notes move by 0 to 100 % to a beat or a part of it. Nothing was moved.")
    before = round(BEFORE_S * tempo.rate_hz)
    moves = {
        at: round(strength * (to_grid(at, tempo, division) - at))
        for at in sorted(notes) if within is None or within[0] <= at < within[1]
    }
    out: list[CompPiece] = []
    for piece in pieces:
        start, stop = (piece.start, piece.stop) if within is None else (
            max(piece.start, within[0]), min(piece.stop, within[1])
        )
        # By where each cut lies in the sound as it was: how far what follows it moves.
        cuts = [(max(at - before, start), by) for at, by in moves.items() if start <= at < stop]
        if not cuts:
            out.append(piece)
            continue
        if cuts[0][0] > piece.start:
            cuts.insert(0, (piece.start, 0))
        if stop < piece.stop:
            cuts.append((stop, 0))
        out += _cut(piece, cuts)
    return joined(tuple(out)), [at + moves.get(at, 0) for at in sorted(notes)]


def _cut(piece: CompPiece, cuts: Sequence[tuple[int, int]]) -> Iterator[CompPiece]:
    """The parts of a piece, each moved by its own way. They follow one another without a hole and without an overlap:
    the cut between two goes where the earlier of both has it, and never before the one before it."""
    edges = [piece.start]
    for (_, one), (at, by) in pairwise(cuts):
        edges.append(min(max(edges[-1], at + min(one, by)), piece.stop))
    for (_, by), start, stop in zip(cuts, edges, [*edges[1:], piece.stop], strict=True):
        if start < stop:
            part = piece.part(start, stop)
            yield replace(part, offset=part.offset - by)

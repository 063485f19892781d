"""Which take is heard where."""

import heapq
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

from cattailer.core.comps.fades import S_CURVE

EDGE_S = 0.002
"""How long a piece fades in and out where it borders on something else: a cut must not click."""


class Slope(NamedTuple):
    """A fade on the timeline, [start, start + samples); ``shape`` as in ``core.comps.fades``."""

    start: int
    samples: int
    shape: str


@dataclass(frozen=True)
class TakeSpan:
    """A take on the timeline: ``samples`` from ``start``, which is at ``offset`` in the file; a later ``order`` lies
    on top."""

    take: int
    track: int
    path: str
    start: int
    samples: int
    order: int
    offset: int = 0
    printed: bool = False
    layered: bool = False
    """It sounds together with whatever lies there."""


@dataclass(frozen=True)
class Piece:
    """A piece of a take that sounds: timeline [start, start+samples), from ``offset`` in the file. ``printed``: the
    track's effects are in it. Its sound is multiplied by ``gain``, which is negative with reversed polarity, by
    ``rise`` from its beginning on and by ``fall`` until its end; a slope may begin before the piece or end after it."""

    take: int
    track: int
    path: str
    start: int
    samples: int
    offset: int
    printed: bool = False
    gain: float = 1.0
    rise: Slope | None = None
    fall: Slope | None = None

    def plain(self) -> list[Any]:
        """Plain values, as they travel to the engine."""
        first = [self.take, self.track, self.path, self.start, self.samples, self.offset, self.printed, self.gain]
        return [*first, None if self.rise is None else list(self.rise), None if self.fall is None else list(self.fall)]

    @classmethod
    def of(cls, plain: Sequence[Any]) -> "Piece":
        """Raises TypeError when those are no piece's values."""
        *rest, rise, fall = plain
        piece = cls(*rest)
        return replace(piece, rise=Slope(*rise) if rise else None, fall=Slope(*fall) if fall else None)


def edge_samples(rate_hz: int) -> int:
    return max(1, round(EDGE_S * rate_hz))


def edged(pieces: list[Piece], edge: int) -> list[Piece]:
    """Pieces, by their start, that fade for ``edge`` samples where they do not go on in the next: a take after what was
    counted in before it is one sound."""
    out = []
    for number, piece in enumerate(pieces):
        before = pieces[number - 1] if number else None
        after = pieces[number + 1] if number + 1 < len(pieces) else None
        stop = piece.start + piece.samples
        rise = None if before is not None and _goes_on(before, piece) else Slope(piece.start, edge, S_CURVE)
        fall = None if after is not None and _goes_on(piece, after) else Slope(stop - edge, edge, S_CURVE)
        out.append(replace(piece, rise=rise, fall=fall))
    return out


def _goes_on(piece: Piece, other: Piece) -> bool:
    return piece.take == other.take and piece.start + piece.samples == other.start


def sounding(spans: list[TakeSpan], edge: int) -> list[Piece]:
    """The pieces that sound on one track: the topmost ones, and those that are layered with them; by their start. They
    fade for ``edge`` samples at their ends."""
    pieces = edged(topmost([s for s in spans if not s.layered]), edge)
    layers = sorted(
        (
            Piece(s.take, s.track, s.path, s.start, s.samples, s.offset, s.printed)
            for s in spans if s.layered and s.samples > 0
        ),
        key=lambda p: p.start,
    )
    for layer in apart(layers):
        pieces += edged(layer, edge)
    return sorted(pieces, key=lambda p: p.start) if layers else pieces


def instead(pieces: list[Piece], others: list[Piece], stretch: tuple[int, int], edge: int) -> list[Piece]:
    """Others in place of what sounds in [start, stop); what is cut fades for ``edge`` samples."""
    start, stop = stretch
    left = []
    for piece in pieces:
        ends = piece.start + piece.samples
        if piece.start < start:
            until = min(ends, start)
            fall = piece.fall if until == ends else Slope(until - edge, edge, S_CURVE)
            left.append(replace(piece, samples=until - piece.start, fall=fall))
        if ends > stop:
            begins = max(piece.start, stop)
            rise = piece.rise if begins == piece.start else Slope(begins, edge, S_CURVE)
            offset = piece.offset + begins - piece.start
            left.append(replace(piece, start=begins, samples=ends - begins, offset=offset, rise=rise))
    return sorted([*left, *others], key=lambda p: p.start)


def apart(pieces: list[Piece]) -> list[list[Piece]]:
    """Pieces, by their start, dealt out so that within each list none overlaps; as few lists as there are layers."""
    out: list[list[Piece]] = []
    for piece in sorted(pieces, key=lambda p: p.start):
        of = next((o for o in out if o[-1].start + o[-1].samples <= piece.start), None)
        if of is None:
            out.append(of := [])
        of.append(piece)
    return out


def topmost(spans: list[TakeSpan]) -> list[Piece]:
    """The pieces that sound on one track when later takes lie on top of earlier ones.

    Pieces do not overlap and come in timeline order. Takes n log n steps: a sweep along the timeline, with what lies
    there in a heap, the newest on top.
    """
    starts = sorted((s.start, -s.order, n) for n, s in enumerate(spans) if s.samples > 0)
    edges = sorted({e for s in spans if s.samples > 0 for e in (s.start, s.start + s.samples)})
    lying: list[tuple[int, int]] = []
    found: list[Piece] = []
    n = 0
    above: TakeSpan | None = None
    for at, until in zip(edges, edges[1:], strict=False):
        while n < len(starts) and starts[n][0] <= at:
            heapq.heappush(lying, starts[n][1:])
            n += 1
        while lying and spans[lying[0][1]].start + spans[lying[0][1]].samples <= at:
            heapq.heappop(lying)
        top = spans[lying[0][1]] if lying else None
        if top is not None and top is above:
            last = found.pop()
            found.append(replace(last, samples=until - last.start))
        elif top is not None:
            offset = at - top.start + top.offset
            found.append(Piece(top.take, top.track, top.path, at, until - at, offset, top.printed))
        above = top
    return found

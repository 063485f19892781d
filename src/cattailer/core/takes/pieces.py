"""Which take is heard where."""

import heapq
from dataclasses import dataclass, replace


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
    track's effects are in it."""

    take: int
    track: int
    path: str
    start: int
    samples: int
    offset: int
    printed: bool = False


def sounding(spans: list[TakeSpan]) -> list[Piece]:
    """The pieces that sound on one track: the topmost ones, and those that are layered with them; by their start."""
    pieces = topmost([s for s in spans if not s.layered])
    layers = [
        Piece(s.take, s.track, s.path, s.start, s.samples, s.offset, s.printed)
        for s in spans if s.layered and s.samples > 0
    ]
    return sorted([*pieces, *layers], key=lambda p: p.start) if layers else pieces


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

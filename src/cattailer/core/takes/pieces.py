"""Which take is heard where."""

from dataclasses import dataclass


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


@dataclass(frozen=True)
class Piece:
    """A piece of a take that sounds: timeline [start, start+samples), from ``offset`` in the file."""

    take: int
    track: int
    path: str
    start: int
    samples: int
    offset: int


def topmost(spans: list[TakeSpan]) -> list[Piece]:
    """The pieces that sound on one track when later takes lie on top of earlier ones.

    Pieces do not overlap and come in timeline order.
    """
    found: list[Piece] = []
    for span in sorted(spans, key=lambda s: s.order, reverse=True):
        parts = [(span.start, span.start + span.samples)]
        for above in found:
            low, high = above.start, above.start + above.samples
            parts = [
                part
                for a, b in parts
                for part in ((a, min(b, low)), (max(a, high), b))
                if part[0] < part[1]
            ]
        found += [Piece(span.take, span.track, span.path, a, b - a, a - span.start + span.offset) for a, b in parts]
    return sorted(found, key=lambda p: p.start)

"""Which take is heard where nobody chose: the newest lies on top, and what is layered sounds with it."""

import heapq
from collections.abc import Sequence
from dataclasses import dataclass, replace

from cattailer.core.comps.comppiece import CompPiece, Pieces, numbered
from cattailer.core.comps.laying import joined


@dataclass(frozen=True)
class TakeSpan:
    """A take on the timeline: ``samples`` from ``start``, which is at ``offset`` in the take, counted in before 0; a
    later ``order`` lies on top, and what is ``layered`` sounds together with whatever lies there."""

    take: int
    start: int
    samples: int
    order: int
    offset: int = 0
    layered: bool = False


def heard(spans: Sequence[TakeSpan]) -> Pieces:
    """The pieces that sound on one track: the topmost ones, and those that are layered with them."""
    out = list(joined(topmost([s for s in spans if not s.layered])))
    ends, first = list[int](), 1 if out else 0
    for span in sorted((s for s in spans if s.layered and s.samples > 0), key=lambda s: s.start):
        layer = next((n for n, end in enumerate(ends) if end <= span.start), len(ends))
        ends[layer : layer + 1] = [span.start + span.samples]
        out.append(CompPiece(span.take, span.start, span.samples, span.offset, layer=layer + first))
    return numbered(tuple(sorted(out, key=lambda p: (p.start, p.layer))))


def topmost(spans: Sequence[TakeSpan]) -> Pieces:
    """The pieces that are heard when later takes lie on top of earlier ones.

    Pieces do not overlap and come in timeline order. Takes n log n steps: a sweep along the timeline, with what lies
    there in a heap, the newest on top.
    """
    starts = sorted((s.start, -s.order, n) for n, s in enumerate(spans) if s.samples > 0)
    edges = sorted({e for s in spans if s.samples > 0 for e in (s.start, s.start + s.samples)})
    lying: list[tuple[int, int]] = []
    found: list[CompPiece] = []
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
            found[-1] = replace(found[-1], samples=until - found[-1].start)
        elif top is not None:
            found.append(CompPiece(top.take, at, until - at, at - top.start + top.offset))
        above = top
    return tuple(found)

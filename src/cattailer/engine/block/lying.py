"""Where something captured lies, for the tracks whose live input gives way to it."""

from bisect import bisect_right

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.flow import depends_on_takes
from cattailer.core.plan import Plan


class Lying:
    """The timeline cut into segments within which nothing changes; worked out off the block path."""

    def __init__(self, plan: Plan) -> None:
        place_of = {plan.tracks[n].id: n for n in depends_on_takes(plan)}
        pieces = [p for p in plan.pieces if p.track in place_of]
        edges = sorted({e for p in pieces for e in (p.start, p.start + p.samples)})
        self._edges = edges
        at = {edge: n + 1 for n, edge in enumerate(edges)}
        steps = np.zeros((len(edges) + 2, max(1, len(plan.tracks))), np.intp)
        for piece in pieces:
            steps[at[piece.start], place_of[piece.track]] += 1
            steps[at[piece.start + piece.samples], place_of[piece.track]] -= 1
        self._lies = (np.cumsum(steps, axis=0) > 0).astype(np.intp)

    def at(self, position: int) -> tuple[int, NDArray[np.intp]]:
        """The segment's number, and for each track of the plan 1 where something lies."""
        segment = bisect_right(self._edges, position)
        return segment, self._lies[segment]

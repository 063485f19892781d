"""From one plan's flow to another's.

Where only gains differ they glide; where there are other voices, effects or mixes, both flows run side by side for a
glide, level by level, and what both have in common is computed once, with its state.
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from cattailer.core.sound.curves import along, gliding
from cattailer.engine.block.prepared import Prepared
from cattailer.engine.block.summing import Summing, changes
from cattailer.engine.effects.strips import SETTLE_S

Floats = NDArray[np.float32]
Places = NDArray[np.intp]


class _Past:
    """A flow that fades. ``rows`` says for each row of the mixes which it was, -1 for none; ``shared`` has for each
    level (rows there, rows here) of effects that it and the flow after it have."""

    def __init__(self, old: Prepared, new: Prepared) -> None:
        effects = any(rack.strips or rack.spaces for rack in new.summing.racks)
        self.prepared, self.summing = old, old.summing
        # Filters and compressors that come settle before they are heard.
        self.done = -round(SETTLE_S * new.plan.rate_hz) if effects else 0
        self.shared: list[tuple[Places, Places]] = []
        for n, rack in enumerate(new.summing.racks):
            if n >= len(old.summing.racks):
                rack.take_over(None)
                continue
            rack.take_over(old.summing.racks[n])
            before = {(i.key, i.channels): i.first for i in old.flow.levels[n].inserts}
            here: list[int] = []
            there: list[int] = []
            for insert in new.flow.levels[n].inserts:
                first = before.get((insert.key, insert.channels))
                if first is not None:
                    here += (insert.first - new.flow.levels[n].first + c for c in range(insert.channels))
                    there += (first - old.flow.levels[n].first + c for c in range(insert.channels))
            self.shared.append((np.array(there, np.intp), np.array(here, np.intp)))
        self.rows = np.arange(0)
        self.reorder(old, new)

    def reorder(self, old: Prepared, new: Prepared) -> None:
        mixes = {m.id: 2 * n for n, m in enumerate(old.plan.mixes)}
        feeders = {g: old.mixes + 2 * n for n, g in enumerate(old.plan.feeders)}
        made = {g: at + old.feeders for g, at in feeders.items()}
        firsts = [mixes.get(m.id) for m in new.plan.mixes]
        firsts += [feeders.get(g) for g in new.plan.feeders] + [made.get(g) for g in new.plan.feeders]
        self.rows = np.array([-1 if at is None else at + side for at in firsts for side in (0, 1)], np.intp)


class Blending:
    """Belongs to the block path."""

    def __init__(self, rate_hz: int, first: Prepared) -> None:
        self._pasts: list[_Past] = []
        self._curve = gliding(rate_hz)
        self._last = first

    def note(self, prepared: Prepared) -> None:
        """At a block's beginning: which plan is heard in it."""
        last = self._last
        self._last = prepared
        if last is prepared:
            return
        if prepared.summing is last.summing:
            made = prepared.changes if prepared.base is last else changes(last.flow.matrices, prepared.flow.matrices)
            prepared.summing.retarget(prepared.flow, made, prepared.settings)
            return
        self._pasts.append(_Past(last, prepared))
        for past in self._pasts[:-1]:
            past.reorder(past.prepared, prepared)

    def block(
        self, prepared: Prepared, gate: Callable[[Prepared], None], incoming: Floats, takes: Floats | None,
        takes_of: Callable[[Prepared], Floats | None],
    ) -> Floats:
        """What the mixes and feeders sound, shape (rows, samples). ``takes_of`` gives those of another plan."""
        count, summing = incoming.shape[1], prepared.summing
        if not self._pasts:
            gate(prepared)
            rows = summing.run(incoming, takes)
            summing.went_on(count)
            return rows
        weights = [along(self._curve, p.done, count) for p in self._pasts]
        chain: list[Summing] = [*(p.summing for p in self._pasts), summing]
        for past in self._pasts:
            gate(past.prepared)
            past.summing.voices(incoming, takes_of(past.prepared))
        gate(prepared)
        summing.voices(incoming, takes)
        for n in range(max(len(s.racks) for s in chain)):
            self._level(n, chain, weights, count)
        rows = summing.mixes(count)
        for past, weight in zip(reversed(self._pasts), reversed(weights), strict=True):
            old = past.summing.mixes(count)
            before: Floats = np.zeros_like(rows)
            kept = np.flatnonzero(past.rows >= 0)
            before[kept] = old[past.rows[kept]]
            rows = before + weight * (rows - before)
        for each in chain:
            each.went_on(count)
        for past in self._pasts:
            past.done += count
        self._pasts = [p for p in self._pasts if p.done < len(self._curve)]
        return rows

    def _level(self, n: int, chain: list[Summing], weights: list[Floats], count: int) -> None:
        """Each flow's effects that the next one has too get what goes from the one to the other, and sound as the next
        one's do."""
        blocks = [summing.level(n, count) if n < len(summing.racks) else None for summing in chain]
        both = [
            (old, new, *past.shared[n], weight)
            for past, old, new, weight in zip(self._pasts, blocks[:-1], blocks[1:], weights, strict=True)
            if old is not None and new is not None
        ]
        for old, new, there, here, weight in both:
            new[here] = old[there] + weight * (new[here] - old[there])
        for summing, block in zip(chain, blocks, strict=True):
            if block is not None:
                summing.racks[n].process(block)
        for old, new, there, here, _ in reversed(both):
            old[there] = new[here]

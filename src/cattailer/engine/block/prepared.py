"""A plan as the block path uses it: everything that can be worked out beforehand, is."""

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.mixing import sums
from cattailer.core.plan import SOFTWARE_CHANNELS, Plan
from cattailer.engine.block.ring import Ring
from cattailer.engine.sources.click import Click
from cattailer.engine.sources.patterns import PatternPlayer
from cattailer.engine.sources.playback import Playback


class Prepared:
    """A plan as the block path uses it: matrices for each state, ready to multiply."""

    def __init__(
        self, plan: Plan, playback: Playback, patterns: PatternPlayer | None, click: Click | None, inside: Ring,
        before: NDArray[np.intp] | None,
    ) -> None:
        self.plan = plan
        self.playback = playback
        self.patterns = patterns
        self.click = click
        self.before = before
        """For each row of the mixes, which it was in the plan before, -1 for none; None where they are the same."""
        self.inside = inside
        """Sound made in here, on its way to the input ring: see ``Inside.words``."""
        self.mixes = 2 * len(plan.mixes)
        self.sums = {state: sums(plan, state) for state in ("stopped", "rolling", "capturing")}
        self.summed = np.zeros((len(self.sums["stopped"].hardware), plan.period), np.float32)
        wanted = plan.clicking.mixes
        self.click_mixes = [n for n, mix in enumerate(plan.mixes) if not wanted or mix.id in wanted]
        self.outputs = np.zeros((plan.outputs, self.mixes), np.float32)
        for n, mix in enumerate(plan.mixes):
            for side, output in enumerate(mix.outputs):
                self.outputs[output, 2 * n + side] = 1.0
        heard = self.sums["capturing"].hardware[: self.mixes][self.outputs.any(axis=0)]
        self.through = frozenset((np.flatnonzero(heard.any(axis=0)) + 1).tolist())
        """Sockets that are heard at an output while a capture runs."""
        self.keeps = SOFTWARE_CHANNELS + 2 * len(plan.feeders) if patterns or plan.feeders else 0


def prepare(plan: Plan, playback: Playback, old: Prepared | None, round_trip_samples: int) -> Prepared:
    """Keeps the pattern player, the click and what waits on its way to the ring where nothing about them changed."""
    patterns = click = None
    if plan.plays_patterns:
        kept = old.patterns if old is not None and old.plan.tempo == plan.tempo else None
        patterns = kept or PatternPlayer(plan.tempo)
    if plan.click:
        same = old is not None and old.plan.tempo == plan.tempo and old.plan.clicking == plan.clicking
        click = (old.click if old is not None and same else None) or Click(plan.tempo, plan.clicking)
    before = _rows_before(old.plan, plan) if old is not None else None
    if old is not None and old.plan.feeders == plan.feeders:
        return Prepared(plan, playback, patterns, click, old.inside, before)
    inside = Ring(SOFTWARE_CHANNELS + 2 * len(plan.feeders), round_trip_samples + 4 * 8192)
    inside.write_silence(inside.size)
    return Prepared(plan, playback, patterns, click, inside, before)


def _rows_before(old: Plan, plan: Plan) -> NDArray[np.intp] | None:
    places = {m.id: 2 * n for n, m in enumerate(old.mixes)}
    if [m.id for m in old.mixes] == [m.id for m in plan.mixes]:
        return None
    return np.array([at for m in plan.mixes for at in _two(places.get(m.id))], np.intp)


def _two(row: int | None) -> tuple[int, int]:
    return (-1, -1) if row is None else (row, row + 1)

"""Gains on the way of a signal: pans, and what mutes and solos leave of the main mix."""

import math
from functools import lru_cache

from cattailer.core.patch.ends import group_end, track_end
from cattailer.core.plan import Plan

Sides = tuple[tuple[float, float], ...]
STRAIGHT: Sides = ((1.0, 0.0), (0.0, 1.0))
"""A pair as it is."""


@lru_cache(maxsize=4096)
def pan_gains(pan: float, channels: int) -> Sides:
    """(left, right) gain of each channel of a track; ``pan`` from -1 to 1.

    Mono: sine-cosine law, 3 dB down in the middle. A pair keeps its sides, and panning turns the far side down.
    """
    angle = (min(1.0, max(-1.0, pan)) + 1.0) * math.pi / 4.0
    left, right = math.cos(angle), math.sin(angle)
    if channels == 1:
        return ((left, right),)
    return (min(1.0, left * math.sqrt(2.0)), 0.0), (0.0, min(1.0, right * math.sqrt(2.0)))


def audible_in_main(plan: Plan) -> frozenset[int]:
    """The tracks that the main mix plays: those not muted and, where anything is soloed, only what is, or what leads
    to a group that is."""
    wanted = {t.id for t in plan.tracks if not t.muted}
    soloed = {track_end(t.id) for t in plan.tracks if t.soloed} | {group_end(g.id) for g in plan.groups if g.soloed}
    if not soloed:
        return frozenset(wanted)
    before: dict[str, list[str]] = {}
    for start, target in plan.routes:
        before.setdefault(target, []).append(start)
    reached, left = set(soloed), list(soloed)
    while left:
        for start in before.get(left.pop(), ()):
            if start not in reached:
                reached.add(start)
                left.append(start)
    return frozenset(t for t in wanted if track_end(t) in reached)

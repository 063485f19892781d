"""Which take is heard in a phrase."""

from collections.abc import Iterable

from cattailer.core.comps.phrases import Stretch

WHOLE, PART, NOT = "whole", "part", ""
NEARLY = 0.98
"""A phrase is one take's where it holds this share of what sounds of it there."""


def shares(phrase: Stretch, pieces: Iterable[tuple[int, int, int]]) -> dict[int, str]:
    """By take: whether it is all that is heard in a phrase, or a part of it. ``pieces``: (take, start, stop)."""
    heard: dict[int, int] = {}
    for take, start, stop in pieces:
        length = min(stop, phrase[1]) - max(start, phrase[0])
        if length > 0:
            heard[take] = heard.get(take, 0) + length
    whole = sum(heard.values())
    return {take: WHOLE if length >= NEARLY * whole else PART for take, length in heard.items()}

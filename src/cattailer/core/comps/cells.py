"""Which take is heard in a phrase."""

from collections.abc import Iterable

from cattailer.core.comps.phrases import Stretch

WHOLE, PART, NOT = "whole", "part", ""
NEARLY = 0.98
"""A phrase is a take's where it sounds in this share of what sounds there."""


def shares(phrase: Stretch, pieces: Iterable[tuple[int, int, int]]) -> dict[int, str]:
    """By take: whether it is heard wherever anything is in a phrase, or in a part of it. ``pieces``: (take, start,
    stop), by their start; those of several layers overlap."""
    heard: dict[int, int] = {}
    whole, until = 0, phrase[0]
    for take, start, stop in pieces:
        first, last = max(start, phrase[0]), min(stop, phrase[1])
        if first < last:
            heard[take] = heard.get(take, 0) + last - first
            whole, until = whole + max(0, last - max(first, until)), max(until, last)
    return {take: WHOLE if length >= NEARLY * whole else PART for take, length in heard.items()}

"""What becomes of what lay there before, when something is captured over it."""

from enum import Enum

KEEP, ONLY, REPLACE, LAYER = "keep", "only", "replace", "layer"
WAYS = {
    KEEP: (
        "keep every take",
        "Every take stays; the newest is heard where they overlap, together with any layers there.",
    ),
    ONLY: (
        "keep this run only",
        "Older takes of these tracks that this run touches go to the bin, once its files are checked.",
    ),
    REPLACE: ("replace", "Only the stretch that is captured goes to the bin, out of the takes that lay there."),
    LAYER: ("layer", "It sounds together with what is heard there."),
}
"""Each with its words, and a sentence on what it does."""

Stretch = tuple[int, int]


def touches(one: Stretch, other: Stretch) -> bool:
    """Whether two stretches [start, stop) have a sample in common."""
    return one[0] < other[1] and other[0] < one[1]


class Fate(Enum):
    """Of an older take: nothing happens to it, all of it goes to the bin, or the stretch that was captured does."""

    STAYS = "stays"
    BIN = "bin"
    CUT = "cut"


def fate(over: str, captured: Stretch, older: Stretch) -> Fate:
    """What becomes of an older take of the same track once the run that was captured over it is checked."""
    if over not in (ONLY, REPLACE) or not touches(captured, older):
        return Fate.STAYS
    return Fate.BIN if over == ONLY else Fate.CUT


def without(whole: Stretch, cuts: list[Stretch]) -> list[Stretch]:
    """What is left of a stretch when others are cut out of it, in order."""
    left, at = [], whole[0]
    for start, stop in sorted(cuts):
        if min(start, whole[1]) > at:
            left.append((at, min(start, whole[1])))
        at = max(at, stop)
    if at < whole[1]:
        left.append((at, whole[1]))
    return left

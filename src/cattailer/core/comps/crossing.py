"""How the pieces of a comp go over into one another: where and how long they cross, by how alike both sides are."""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from cattailer.core.comps.comppiece import CompPiece
from cattailer.core.comps.fades import OPPOSED, POWER, S_CURVE

ALIKE, SAME = 0.5, 0.95
"""From these correlations on two sides count as one sound twice, and as the same."""
SAME_S, OTHER_S = 0.010, 0.020
"""How long a crossfade is that nobody set: what is the same goes over quickly, what is not takes its time."""
HEARD_S = 0.020
"""How far either side is listened to."""
EDGE_S = 0.002
"""How long a piece fades in and out where it borders on nothing, and how long a crossfade is at least: a cut must not
click."""

Sound = NDArray[np.floating]


class Meeting(NamedTuple):
    """How two sides go together: the middle of their crossfade lies ``by`` samples from where they meet, it takes
    ``samples``, and they are that much alike (a correlation). Sides that cancel each other do not cross (0 samples):
    they change over at once where both have the same value, so that no step is larger than their own."""

    by: int
    samples: int
    alike: float


Meets = Callable[[CompPiece, CompPiece, int], Meeting]
"""How a piece goes over into the one after it; the number is how many samples somebody set, 0 if nobody did."""


class Crossing(NamedTuple):
    """Timeline [start, stop) in which one piece falls and the next one rises; empty where they change over at once."""

    start: int
    stop: int
    shape: str
    alike: float


def edge_samples(rate_hz: int) -> int:
    return max(1, round(EDGE_S * rate_hz))


def usual_samples(alike: float, rate_hz: int) -> int:
    """How long a crossfade is that nobody set."""
    return round((SAME_S if alike >= SAME else OTHER_S) * rate_hz)


def usual_shape(alike: float) -> str:
    return S_CURVE if alike >= ALIKE else POWER


def likeness(one: Sound, other: Sound) -> float:
    """The correlation of two sides, shape (samples,), their middle counting most: 1 the same, 0 nothing in common, -1
    upside down; 0 where one is silent. Weighed by Hann's window, it is true of low notes too, wherever they are cut."""
    weight = np.hanning(len(one) + 2)[1:-1]
    a, b = one.astype(np.float64) * weight, other.astype(np.float64)
    power = float(np.sqrt((a * one).sum() * (b * b * weight).sum()))
    return float((a * b).sum()) / power if power > 0.0 else 0.0


def meet(one: Sound, other: Sound, middle: int, samples: int, rate_hz: int) -> Meeting:
    """How two sides go together that are heard around ``middle``, where they meet; both of shape (samples,)."""
    if not len(one):
        return Meeting(0, samples or usual_samples(0.0, rate_hz), 0.0)
    alike = likeness(one, other)
    if samples or alike >= OPPOSED:
        return Meeting(0, samples or usual_samples(alike, rate_hz), alike)
    same = _same_value(one, other)
    if not len(same):
        return Meeting(0, edge_samples(rate_hz), alike)
    return Meeting(int(same[np.argmin(np.abs(same - middle))]) - middle, 0, 1.0)


def _same_value(one: Sound, other: Sound) -> NDArray[np.intp]:
    """Where the difference of two sides changes its sign."""
    above = one > other
    return np.flatnonzero(above[1:] != above[:-1]) + 1


def as_known(rate_hz: int) -> Meets:
    """What is known without listening: whether both sides are the same sound of one take."""
    def meets(before: CompPiece, after: CompPiece, samples: int) -> Meeting:
        alike = known(before, after) or 0.0
        return Meeting(0, samples or usual_samples(alike, rate_hz), alike)

    return meets


def known(before: CompPiece, after: CompPiece) -> float | None:
    """How alike both sides are where they are the same sound of one take; None where somebody must listen."""
    same = before.take == after.take and before.moved == after.moved and before.flipped == after.flipped
    return 1.0 if same else None

"""Where a seam is heard least, and why."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cattailer.core.comps.snapping import at_zero

Sound = NDArray[np.floating]

SEARCH_S = 0.5
"""How far either way a better place is looked for."""
ZERO_S = 0.0015
"""How far a proposal moves to a zero crossing, where that costs nothing that is heard."""
WORTH_DB = 1.0
QUIET_DBFS = -60.0


@dataclass(frozen=True)
class Proposal:
    """A better place, as a number of samples from where the seam is; by how many dB less of a difference is left in the
    crossfade, and why it is not heard there, in words."""

    by: int
    better_db: float
    why: str


def correlation(one: Sound, other: Sound) -> float:
    """Of two sides, shape (samples,): 1 the same, 0 nothing in common, -1 upside down; 0 where one is silent."""
    a, b = one - one.mean(), other - other.mean()
    power = float(np.sqrt((a * a).sum() * (b * b).sum()))
    return float((a * b).sum()) / power if power > 0.0 else 0.0


def residues(one: Sound, other: Sound, length: int) -> Sound:
    """The energy of the difference of two sides in a crossfade of ``length`` that begins at each sample; shape
    (samples - length + 1,)."""
    squares = (one.astype(np.float64) - other.astype(np.float64)) ** 2
    total = np.concatenate([[0.0], np.cumsum(squares)])
    left: Sound = np.maximum(0.0, total[length:] - total[:-length])
    return left


def propose(one: Sound, other: Sound, length: int, now: int, rate_hz: int) -> Proposal | None:
    """The place where least of a difference is left within a crossfade of ``length``; ``now`` is where the middle of
    the seam is in both sides, shape (samples,). None where nothing better is worth the move."""
    if length < 1 or len(one) < length + 2:
        return None
    left = residues(one, other, length)
    half = length // 2
    best = int(np.argmin(left))
    middle = best + half
    # To a zero crossing, where that leaves no more than the least there is.
    near = at_zero(middle, 0, one)
    if near != middle and abs(near - middle) <= ZERO_S * rate_hz and 0 <= near - half < len(left):
        middle = near if left[near - half] <= left[best] * 1.0001 else middle
    at = min(max(0, now - half), len(left) - 1)
    better = _db(left[at]) - _db(left[middle - half])
    if middle == now or better < WORTH_DB:
        return None
    return Proposal(middle - now, better, _why(one, other, middle, half, length))


def _db(energy: float) -> float:
    return 10.0 * float(np.log10(max(energy, 1e-14)))


def _why(one: Sound, other: Sound, middle: int, half: int, length: int) -> str:
    a, b = (side[middle - half : middle - half + length].astype(np.float64) for side in (one, other))
    level = 10.0 * float(np.log10(max((a * a).mean(), (b * b).mean(), 1e-14)))
    around = 10.0 * float(np.log10(max((one.astype(np.float64) ** 2).mean(), 1e-14)))
    said = []
    if level < QUIET_DBFS:
        said.append("both are silent there")
    elif level < around - 10.0:
        said.append("between two notes")
    if correlation(a, b) >= 0.9:
        said.append("both sides go the same way")
    elif _alike(a, b):
        said.append("both sides sound alike")
    if np.signbit(one[middle - 1]) != np.signbit(one[min(middle, len(one) - 1)]):
        said.append("the sound crosses zero")
    return ", ".join(said) or "the two sides differ least"


def _alike(a: Sound, b: Sound) -> bool:
    """Whether the spectra of two sides have the same shape (their magnitudes correlate)."""
    if len(a) < 64:
        return False
    window = np.hanning(len(a))
    return correlation(np.abs(np.fft.rfft(a * window)), np.abs(np.fft.rfft(b * window))) >= 0.9

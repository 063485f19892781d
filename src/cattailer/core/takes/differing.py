"""Where one list of pieces sounds otherwise than another."""

from collections import Counter
from collections.abc import Iterable, Iterator
from itertools import pairwise

from cattailer.core.takes.pieces import Piece, Slope

_Sound = tuple[str, int, bool, float, Slope | None, Slope | None]
"""What is heard somewhere, wherever its piece begins and ends: file, the timeline sample at which that begins, whether
effects are in it, its gain, and the slopes that it is on."""


def differing(before: Iterable[Piece], after: Iterable[Piece]) -> list[tuple[int, int]]:
    """Timeline stretches, in order and apart, within which anything differs; elsewhere both sound alike."""
    old, new = Counter(before), Counter(after)
    changes: dict[int, Counter[_Sound]] = {}
    for pieces, sign in ((old - new, -1), (new - old, 1)):
        for piece in pieces.elements():
            for start, stop, sound in _stretches(piece):
                changes.setdefault(start, Counter())[sound] += sign
                changes.setdefault(stop, Counter())[sound] -= sign
    now: Counter[_Sound] = Counter()
    out: list[tuple[int, int]] = []
    began = None
    for at in sorted(changes):
        for sound, by in changes[at].items():
            now[sound] += by
            if not now[sound]:
                del now[sound]
        if now and began is None:
            began = at
        elif not now and began is not None:
            out.append((began, at))
            began = None
    return out


def _stretches(piece: Piece) -> Iterator[tuple[int, int, _Sound]]:
    """A piece in stretches that are wholly on a slope, or wholly beside it."""
    stop, rise, fall = piece.start + piece.samples, piece.rise, piece.fall
    edges = {piece.start, stop}
    for slope in (rise, fall):
        if slope is not None:
            edges |= {min(max(at, piece.start), stop) for at in (slope.start, slope.start + slope.samples)}
    for a, b in pairwise(sorted(edges)):
        rises = rise if rise is not None and a < rise.start + rise.samples else None
        falls = fall if fall is not None and b > fall.start else None
        yield a, b, (piece.path, piece.start - piece.offset, piece.printed, piece.gain, rises, falls)

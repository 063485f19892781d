"""Which stretch of which file sounds where, with its slopes: what travels to the engine."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, NamedTuple


class Slope(NamedTuple):
    """A fade on the timeline, [start, start + samples); ``shape`` and ``alike`` as in ``core.comps.fades``."""

    start: int
    samples: int
    shape: str
    alike: float | None = None


@dataclass(frozen=True)
class Piece:
    """A piece of a take that sounds: timeline [start, start+samples), from ``offset`` in the file. ``printed``: the
    track's effects are in it. Its sound is multiplied by ``gain``, which is negative with reversed polarity, by
    ``rise`` from its beginning on and by ``fall`` until its end; a slope may begin before the piece or end after it."""

    take: int
    track: int
    path: str
    start: int
    samples: int
    offset: int
    printed: bool = False
    gain: float = 1.0
    rise: Slope | None = None
    fall: Slope | None = None

    def plain(self) -> list[Any]:
        """Plain values, as they travel to the engine."""
        first = [self.take, self.track, self.path, self.start, self.samples, self.offset, self.printed, self.gain]
        return [*first, None if self.rise is None else list(self.rise), None if self.fall is None else list(self.fall)]

    @classmethod
    def of(cls, plain: Sequence[Any]) -> "Piece":
        """Raises TypeError when those are no piece's values."""
        *rest, rise, fall = plain
        piece = cls(*rest)
        return replace(piece, rise=Slope(*rise) if rise else None, fall=Slope(*fall) if fall else None)


def apart(pieces: list[Piece]) -> list[list[Piece]]:
    """Pieces, by their start, dealt out so that within each list none overlaps; as few lists as there are layers."""
    out: list[list[Piece]] = []
    for piece in sorted(pieces, key=lambda p: p.start):
        of = next((o for o in out if o[-1].start + o[-1].samples <= piece.start), None)
        if of is None:
            out.append(of := [])
        of.append(piece)
    return out

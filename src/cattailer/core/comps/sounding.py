"""What a comp sounds like: its pieces as pieces of files, with their slopes."""

from collections.abc import Mapping
from dataclasses import dataclass

from cattailer.core.comps.comppiece import CompPiece, Fade, Pieces
from cattailer.core.comps.fades import POWER, S_CURVE
from cattailer.core.takes.pieces import Piece, Slope, edge_samples
from cattailer.core.units import amplitude

SEAM_S = 0.010
"""How long a crossfade is that nobody set."""


@dataclass(frozen=True)
class Stretch:
    """Where a stretch of a take lies: [first, stop), counted from the beginning of the take, is in a file from
    ``offset`` on."""

    first: int
    stop: int
    path: str
    offset: int


@dataclass(frozen=True)
class TakeSound:
    """Everything there is of a take: what was counted in before it lies before 0; the next pass goes on behind it."""

    take: int
    stretches: tuple[Stretch, ...]
    printed: bool = False

    @property
    def reach(self) -> tuple[int, int]:
        return self.stretches[0].first, self.stretches[-1].stop


def usual_seam(rate_hz: int) -> Fade:
    return Fade(round(SEAM_S * rate_hz), POWER)


def sound_of(track: int, pieces: Pieces, takes: Mapping[int, TakeSound], rate_hz: int) -> list[Piece]:
    """The pieces of files that sound, by their start. A take that is not in ``takes`` is silent."""
    out: list[Piece] = []
    for number, piece in enumerate(pieces):
        take = takes.get(piece.take)
        if take is None or not take.stretches:
            continue
        before = pieces[number - 1] if number else None
        after = pieces[number + 1] if number + 1 < len(pieces) else None
        begins, rise = _begin(before, piece, takes, rate_hz)
        ends, fall = _end(piece, after, takes, rate_hz)
        gain = amplitude(piece.gain_db) * (-1.0 if piece.flipped else 1.0)
        for stretch in take.stretches:
            start = max(begins, piece.moved + stretch.first)
            stop = min(ends, piece.moved + stretch.stop)
            if start < stop:
                out.append(Piece(
                    piece.take, track, stretch.path, start, stop - start,
                    stretch.offset + start - piece.moved - stretch.first, take.printed, gain, rise, fall,
                ))
    return sorted(out, key=lambda p: p.start)


def crossing(before: CompPiece, after: CompPiece, takes: Mapping[int, TakeSound], rate_hz: int) -> tuple[int, int]:
    """Where two pieces that meet sound together: [start, stop), as far as both takes have sound; empty where the seam
    has no length, or both are one sound."""
    seam = usual_seam(rate_hz) if after.seam is None else after.seam
    one, other = takes.get(before.take), takes.get(after.take)
    at = after.start
    if before.goes_on_in(after) or one is None or other is None or not one.stretches or not other.stretches:
        return at, at
    early, late = seam.samples // 2, seam.samples - seam.samples // 2
    early = max(0, min(early, after.offset - other.reach[0], before.samples))
    late = max(0, min(late, one.reach[1] - (before.offset + before.samples), after.samples))
    return at - early, at + late


def _begin(
    before: CompPiece | None, piece: CompPiece, takes: Mapping[int, TakeSound], rate_hz: int
) -> tuple[int, Slope | None]:
    """Where a piece is heard from, and how it comes in."""
    if before is not None and before.stop == piece.start:
        start, stop = crossing(before, piece, takes, rate_hz)
        if start < stop:
            return start, Slope(start, stop - start, (piece.seam or usual_seam(rate_hz)).shape)
        if before.goes_on_in(piece):
            return piece.start, None
    fade = piece.fade_in if piece.fade_in.samples else _edge(piece, rate_hz)
    return piece.start, Slope(piece.start, fade.samples, fade.shape)


def _end(
    piece: CompPiece, after: CompPiece | None, takes: Mapping[int, TakeSound], rate_hz: int
) -> tuple[int, Slope | None]:
    """Where a piece is heard until, and how it goes out."""
    if after is not None and piece.stop == after.start:
        start, stop = crossing(piece, after, takes, rate_hz)
        if start < stop:
            return stop, Slope(start, stop - start, (after.seam or usual_seam(rate_hz)).shape)
        if piece.goes_on_in(after):
            return piece.stop, None
    fade = piece.fade_out if piece.fade_out.samples else _edge(piece, rate_hz)
    return piece.stop, Slope(piece.stop - fade.samples, fade.samples, fade.shape)


def _edge(piece: CompPiece, rate_hz: int) -> Fade:
    return Fade(min(edge_samples(rate_hz), piece.samples // 2), S_CURVE)

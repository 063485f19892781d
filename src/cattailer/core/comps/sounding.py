"""What a comp sounds like: its pieces as pieces of files, with their slopes."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from itertools import pairwise

from cattailer.core.comps.comppiece import CompPiece, Fade, Pieces
from cattailer.core.comps.crossing import Crossing, Meets, as_known, edge_samples, usual_shape
from cattailer.core.comps.fades import OPPOSED, S_CURVE
from cattailer.core.takes.pieces import Piece, Slope
from cattailer.core.units import amplitude


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
    def own(self) -> Stretch:
        return next(s for s in self.stretches if s.first == 0)

    @property
    def reach(self) -> tuple[int, int]:
        return self.stretches[0].first, self.stretches[-1].stop


def sound_of(
    track: int, pieces: Pieces, takes: Mapping[int, TakeSound], rate_hz: int, meets: Meets | None = None
) -> list[Piece]:
    """The pieces of files that sound, by their start; layers sound together. A take that is not in ``takes`` is
    silent. ``meets`` says how alike both sides of a crossing are; without it, only what is known without listening."""
    out: list[Piece] = []
    for layer in {piece.layer for piece in pieces}:
        one = [piece for piece in pieces if piece.layer == layer]
        crossings = [
            crossing(a, b, takes, rate_hz, meets) if a.stop == b.start else None for a, b in pairwise(one)
        ]
        for n, piece in enumerate(one):
            if (take := takes.get(piece.take)) is not None:
                begins = _begins(piece, one[n - 1] if n else None, crossings[n - 1] if n else None, takes, rate_hz)
                after = one[n + 1] if n + 1 < len(one) else None
                ends = _ends(piece, after, crossings[n] if after is not None else None, takes, rate_hz)
                out += _of_files(track, piece, take, begins, ends)
    return sorted(out, key=lambda p: p.start)


def unfaded(piece: CompPiece, takes: Mapping[int, TakeSound]) -> list[Piece]:
    """The sound of a piece as it was captured, at its gain: without slopes, wherever it begins and ends."""
    take = takes.get(piece.take)
    return [] if take is None else list(_of_files(0, piece, take, (piece.start, None), (piece.stop, None)))


def _of_files(
    track: int, piece: CompPiece, take: TakeSound, begins: tuple[int, Slope | None], ends: tuple[int, Slope | None]
) -> Iterator[Piece]:
    gain = amplitude(piece.gain_db) * (-1.0 if piece.flipped else 1.0)
    for stretch in take.stretches:
        start, stop = max(begins[0], piece.moved + stretch.first), min(ends[0], piece.moved + stretch.stop)
        if start < stop:
            yield Piece(
                piece.take, track, stretch.path, start, stop - start,
                stretch.offset + start - piece.moved - stretch.first, take.printed, gain, begins[1], ends[1],
            )


def crossing(
    before: CompPiece, after: CompPiece, takes: Mapping[int, TakeSound], rate_hz: int, meets: Meets | None = None
) -> Crossing | None:
    """Where two pieces that meet sound together, as far as both takes have sound, and within half of each piece: seams
    of a short one never overlap. None where both are one sound, or one of them has none where they meet."""
    one, other = _heard(before, takes), _heard(after, takes)
    at = after.start
    if before.goes_on_in(after) or one is None or other is None or one[1] < at or other[0] > at:
        return None
    earliest = max(at - before.samples // 2, one[0], after.moved + takes[after.take].reach[0])
    latest = min(at + after.samples // 2, other[1], before.moved + takes[before.take].reach[1])
    wanted = 0 if after.seam is None else max(after.seam.samples, edge_samples(rate_hz))
    by, samples, alike = (meets or as_known(rate_hz))(before, after, wanted)
    if not samples and not earliest < at + by < latest:
        by, samples, alike = 0, edge_samples(rate_hz), OPPOSED
    start, stop = max(earliest, at + by - samples // 2), min(latest, at + by + samples - samples // 2)
    shape = usual_shape(alike) if after.seam is None else after.seam.shape
    return Crossing(start, stop, shape, alike) if start < stop or not samples else None


def _heard(piece: CompPiece, takes: Mapping[int, TakeSound]) -> tuple[int, int] | None:
    """Where within a piece its take has sound; None where it has none there."""
    take = takes.get(piece.take)
    if take is None or not take.stretches:
        return None
    first, last = max(piece.start, piece.moved + take.reach[0]), min(piece.stop, piece.moved + take.reach[1])
    return (first, last) if first < last else None


def _begins(
    piece: CompPiece, before: CompPiece | None, crosses: Crossing | None, takes: Mapping[int, TakeSound], rate_hz: int
) -> tuple[int, Slope | None]:
    """Where a piece is heard from, and how it comes in: never without a slope, wherever its sound begins."""
    if crosses is not None:
        return crosses.start, Slope(crosses.start, crosses.stop - crosses.start, crosses.shape, crosses.alike)
    first, last = _heard(piece, takes) or (piece.start, piece.stop)
    if before is not None and before.goes_on_in(piece) and first == piece.start and _heard(before, takes) is not None:
        return first, None
    fade = _reaching(piece.fade_in, piece.start + piece.fade_in.samples - first, last - first, rate_hz)
    return first, Slope(first, fade.samples, fade.shape)


def _ends(
    piece: CompPiece, after: CompPiece | None, crosses: Crossing | None, takes: Mapping[int, TakeSound], rate_hz: int
) -> tuple[int, Slope | None]:
    """Where a piece is heard until, and how it goes out: never without a slope, wherever its sound ends."""
    if crosses is not None:
        return crosses.stop, Slope(crosses.start, crosses.stop - crosses.start, crosses.shape, crosses.alike)
    first, last = _heard(piece, takes) or (piece.start, piece.stop)
    if after is not None and piece.goes_on_in(after) and last == piece.stop and _heard(after, takes) is not None:
        return last, None
    fade = _reaching(piece.fade_out, last - (piece.stop - piece.fade_out.samples), last - first, rate_hz)
    return last, Slope(last - fade.samples, fade.samples, fade.shape)


def _reaching(fade: Fade, left: int, heard: int, rate_hz: int) -> Fade:
    """The fade that somebody set, as far as it lies within the sound; the least that does not click where none does."""
    least = min(edge_samples(rate_hz), heard // 2)
    return Fade(min(left, heard), fade.shape) if fade.samples and left >= least else Fade(least, S_CURVE)

"""Edits of a comp: every one takes pieces and gives pieces, by their start and without overlaps."""

from collections.abc import Callable, Iterable
from dataclasses import replace

from cattailer.core.comps.comppiece import HIGHEST_GAIN_DB, LOWEST_GAIN_DB, CompPiece, Fade, Pieces, numbered
from cattailer.core.comps.fades import SHAPES
from cattailer.core.errors import NothingThere, NotNow, Refusal

CHANGED = (
    "No piece begins there any more: it was changed on another page meanwhile. Nothing was done; look again and do it "
    "once more if you still want it."
)

GONE = "That piece is no longer there, so nothing was changed. Choose another one; Undo brings it back."


def lay(pieces: Pieces, *laid: CompPiece) -> Pieces:
    """Lays pieces over what is there in their layers; a seam at the beginning of what gives way stays where the new one
    has none."""
    for piece in laid:
        pieces = on_layer(pieces, piece.layer, lambda one, piece=piece: _laid(one, piece))  # type: ignore[misc]
    return pieces


def _laid(pieces: Pieces, piece: CompPiece) -> Pieces:
    if piece.samples <= 0:
        return pieces
    gives_way = next((p for p in pieces if p.start == piece.start), None)
    if piece.seam is None and gives_way is not None:
        piece = replace(piece, seam=gives_way.seam)
    return joined(in_order((*without(pieces, piece.start, piece.stop), piece)))


def on_layer(pieces: Pieces, layer: int, change: Callable[[Pieces], Pieces]) -> Pieces:
    """An edit of one layer; the others stay as they are."""
    one, rest = (tuple(p for p in pieces if (p.layer == layer) is wanted) for wanted in (True, False))
    return in_order((*change(one), *rest))


def in_order(pieces: Iterable[CompPiece]) -> Pieces:
    return tuple(sorted(pieces, key=lambda p: (p.start, p.layer)))


def free_layer(pieces: Pieces, start: int, stop: int) -> int:
    """The lowest layer in which nothing lies in [start, stop)."""
    taken = {p.layer for p in pieces if p.start < stop and p.stop > start}
    return next(n for n in range(len(taken) + 1) if n not in taken)


def without(pieces: Pieces, start: int, stop: int) -> Pieces:
    """What is left when a stretch is cut out."""
    left: list[CompPiece] = []
    for piece in pieces:
        if piece.stop <= start or piece.start >= stop:
            left.append(piece)
            continue
        if piece.start < start:
            left.append(piece.part(piece.start, start))
        if piece.stop > stop:
            left.append(piece.part(stop, piece.stop))
    return tuple(left)


def erase(pieces: Pieces, start: int, stop: int) -> Pieces:
    """Silence in [start, stop). Raises Refusal where nothing lies."""
    left = without(pieces, start, stop)
    if start >= stop or left == pieces:
        raise NothingThere("Nothing lies in that stretch, so nothing was erased.")
    return left


def joined(pieces: Pieces) -> Pieces:
    """Neighbours that are one sound become one piece where one of them is new, or both are parts of one; pieces that
    somebody split stay two, wherever they are moved."""
    out: list[CompPiece] = []
    last: dict[int, int] = {}
    new = set[int]()
    for piece in pieces:
        at = last.get(piece.layer, -1)
        before = out[at] if at >= 0 else None
        alike = before is not None and piece.seam is None and before.goes_on_in(piece)
        if before is not None and alike and (at in new or not piece.key or piece.key == before.key):
            if not piece.key:
                new.add(at)
            samples, key = before.samples + piece.samples, before.key or piece.key
            out[at] = replace(before, samples=samples, fade_out=piece.fade_out, key=key)
            continue
        last[piece.layer] = len(out)
        if not piece.key:
            new.add(len(out))
        out.append(piece)
    return tuple(out)


def number_at(pieces: Pieces, start: int) -> int:
    """Which piece begins there. Raises NotNow where none does (any more)."""
    found = next((n for n, p in enumerate(pieces) if p.start == start), None)
    if found is None:
        raise NotNow(CHANGED)
    return found


def piece_of(pieces: Pieces, key: int, start: int) -> CompPiece | None:
    """The piece with that key, or without one the first that begins at ``start``. Raises NotNow where a key's is
    gone."""
    found = next((p for p in pieces if (p.key == key if key else p.start == start)), None)
    if found is None and key:
        raise NotNow(GONE)
    return found


def split(pieces: Pieces, at: int) -> Pieces:
    """Two pieces of each that lies there, with nothing to be heard of it. Raises Refusal."""
    whole = [p for p in pieces if p.start < at < p.stop]
    if not whole:
        raise NothingThere("There is no piece to split there. Put the playhead inside one.")
    halves = [half for p in whole for half in (p.part(p.start, at), replace(p.part(at, p.stop), key=0))]
    return numbered(in_order((*(p for p in pieces if p not in whole), *halves)))


def take_away(pieces: Pieces, start: int) -> Pieces:
    """Without the piece that begins there."""
    gone = pieces[number_at(pieces, start)]
    return tuple(p for p in pieces if p is not gone)


def trim(pieces: Pieces, start: int, new_start: int, new_stop: int, reach: tuple[int, int]) -> Pieces:
    """The piece that begins at ``start`` begins and ends elsewhere, and its sound stays where it is; what it grows over
    gives way. ``reach``: which stretch of the take there is, as in ``offset``. Raises Refusal beyond it."""
    piece = pieces[number_at(pieces, start)]
    if new_stop - new_start < 1:
        raise Refusal("That would leave nothing of the piece. Erase it if it should go; nothing was changed.")
    first, last = piece.moved + reach[0], piece.moved + reach[1]
    if new_start < min(first, piece.start) or new_stop > max(last, piece.stop):
        raise Refusal("The take has no sound there, so the piece cannot be drawn as far. Nothing was changed.")
    samples = new_stop - new_start
    trimmed = replace(
        piece, start=new_start, samples=samples, offset=piece.offset + new_start - piece.start,
        fade_in=piece.fade_in.within(samples), fade_out=piece.fade_out.within(samples),
        seam=piece.seam if new_start == piece.start else None,
    )
    return lay(take_away(pieces, start), trimmed)


def move(pieces: Pieces, start: int, by: int) -> Pieces:
    """The piece that begins at ``start`` sounds elsewhere; what lies there gives way. Raises Refusal before 0."""
    piece = pieces[number_at(pieces, start)]
    if piece.start + by < 0:
        raise Refusal("That would move the piece before the beginning of the timeline. Nothing was moved.")
    return lay(take_away(pieces, start), replace(piece, start=piece.start + by, seam=None))


def with_gain(pieces: Pieces, start: int, gain_db: float) -> Pieces:
    """Raises Refusal beyond what a piece can have."""
    if not LOWEST_GAIN_DB <= gain_db <= HIGHEST_GAIN_DB:
        raise Refusal(
            f"A piece's gain goes from {LOWEST_GAIN_DB:.0f} to +{HIGHEST_GAIN_DB:.0f} dB. Nothing was changed."
            .replace("-", "−")
        )
    return _at(pieces, start, lambda p: replace(p, gain_db=gain_db))


def flip(pieces: Pieces, start: int) -> Pieces:
    return _at(pieces, start, lambda p: replace(p, flipped=not p.flipped))


def with_fades(pieces: Pieces, start: int, fade_in: Fade, fade_out: Fade) -> Pieces:
    """Raises Refusal for fades that are longer than the piece or of no known shape."""
    for fade in (fade_in, fade_out):
        if fade.shape not in SHAPES or fade.samples < 0:
            raise Refusal("There is no such fade; nothing was changed.")
    piece = pieces[number_at(pieces, start)]
    if fade_in.samples + fade_out.samples > piece.samples:
        raise Refusal("The fades are longer than the piece. Make them shorter, or draw the piece longer first.")
    return _at(pieces, start, lambda p: replace(p, fade_in=fade_in, fade_out=fade_out))


def with_seam(pieces: Pieces, start: int, seam: Fade | None) -> Pieces:
    """How the piece that begins at ``start`` comes out of the one before. Raises Refusal where there is none."""
    number, _ = meeting(pieces, start)
    if seam is not None:
        if seam.shape not in SHAPES or seam.samples < 0:
            raise Refusal("There is no such crossfade; nothing was changed.")
        if seam.samples > min(pieces[number - 1].samples, pieces[number].samples):
            raise Refusal("The crossfade is longer than the pieces that it joins. Nothing was changed.")
    return _at(pieces, start, lambda p: replace(p, seam=seam))


def move_seam(pieces: Pieces, start: int, to: int) -> Pieces:
    """Two pieces meet at another place. Raises Refusal where one of them would vanish, or nothing meets."""
    number, before = meeting(pieces, start)
    after = pieces[number]
    if not before.start < to < after.stop:
        raise Refusal("A seam stays between the two pieces that it joins. Nothing was moved.")
    first = replace(before, samples=to - before.start, fade_out=before.fade_out.within(to - before.start))
    last = replace(
        after, start=to, samples=after.stop - to, offset=after.offset + to - after.start,
        fade_in=after.fade_in.within(after.stop - to),
    )
    return (*pieces[: number - 1], first, last, *pieces[number + 1 :])


def meeting(pieces: Pieces, start: int) -> tuple[int, CompPiece]:
    """The number of the piece that begins at ``start``, and the one that ends there. Raises Refusal, NotNow."""
    number = number_at(pieces, start)
    if number == 0 or pieces[number - 1].stop != start:
        raise NothingThere("No two pieces meet there, so there is no seam.")
    return number, pieces[number - 1]


def _at(pieces: Pieces, start: int, change: Callable[[CompPiece], CompPiece]) -> Pieces:
    piece = pieces[number_at(pieces, start)]
    return _changed(pieces, piece, change(piece))


def _changed(pieces: Pieces, old: CompPiece, *new: CompPiece) -> Pieces:
    number = pieces.index(old)
    return (*pieces[:number], *new, *pieces[number + 1 :])

"""What takes look like, phrase by phrase, and what is in use."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select

from cattailer.core.comps.sounding import TakeSound
from cattailer.core.errors import Refusal
from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.pieces import Piece
from cattailer.media import overview
from cattailer.services.desk.desk import Desk
from cattailer.services.session.reading import get_session
from cattailer.services.sounding.pieces import pieces_of
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.services.stages.takes.phrasing import phrases_of, stretch_of
from cattailer.store.models import Take

MOST_TAKES = 400

Pairs = NDArray[np.int16]


def of_takes(desk: Desk, session_id: int, takes: list[int], columns: int) -> dict[int, list[int]]:
    """For each take: lowest and highest value (of 127) of ``columns`` columns a phrase, all phrases in a row."""
    if not 1 <= columns <= 600 or len(takes) > MOST_TAKES:
        raise Refusal(f"At most {MOST_TAKES} takes are drawn at once, in 1 to 600 columns a phrase.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        stretches = [stretch_of(p, session) for p in phrases_of(db, session)]
        sounds = take_sounds(desk, session, takes)
        begins = {
            t.id: rescaled(t.start, t.media.rate_hz, session.rate_hz)
            for t in db.scalars(select(Take).where(Take.id.in_(sounds)))
        }
    out = {}
    for take, sound in sounds.items():
        cells = [_of_take(sound, begins[take], start, stop, columns) for start, stop in stretches]
        out[take] = np.concatenate(cells).ravel().tolist() if cells else []
    return out


def in_use(desk: Desk, session_id: int, track_id: int, columns: int) -> list[int]:
    """The same of what is heard of a track."""
    if not 1 <= columns <= 600:
        raise Refusal("A phrase is drawn in 1 to 600 columns.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        stretches = [stretch_of(p, session) for p in phrases_of(db, session)]
        pieces = [p for p in pieces_of(desk, session) if p.track == track_id]
    return np.concatenate([
        np.zeros((0, 2), np.int16), *(drawn(pieces, start, stop, columns) for start, stop in stretches)
    ]).ravel().tolist()


def drawn(pieces: list[Piece], start: int, stop: int, columns: int) -> Pairs:
    """Pieces of one track in [start, stop) with their gains, shape (columns, 2), of 127."""
    rows = np.zeros((columns, 2), np.int16)
    per = (stop - start) / columns
    for piece in pieces:
        first = max(0, int((piece.start - start) / per))
        last = min(columns, int(np.ceil((piece.start + piece.samples - start) / per)))
        found = overview.of_wave(Path(piece.path)) if first < last else None
        if found is None:
            continue
        low = start + first * per - piece.start + piece.offset
        part = overview.window(found, int(low), int(low + (last - first) * per), last - first) >> 8
        gained = np.clip(part * abs(piece.gain), -127, 127).astype(np.int16)
        np.minimum(rows[first:last, 0], gained[:, 0], out=rows[first:last, 0])
        np.maximum(rows[first:last, 1], gained[:, 1], out=rows[first:last, 1])
    return rows


def _of_take(sound: TakeSound, begins: int, start: int, stop: int, columns: int) -> Pairs:
    own = next(s for s in sound.stretches if s.first == 0)
    piece = Piece(sound.take, 0, own.path, begins, own.stop, own.offset)
    return drawn([piece], start, stop, columns)

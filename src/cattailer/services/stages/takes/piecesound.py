"""The sound of a track's pieces, and what it looks like at any zoom."""

import numpy as np
from numpy.typing import NDArray

from cattailer.core.comps.sounding import sound_of
from cattailer.core.errors import Refusal
from cattailer.core.takes.pieces import Piece
from cattailer.media import overview
from cattailer.media.piecesound import Floats, heard_between
from cattailer.services.desk.desk import Desk
from cattailer.services.session.reading import get_session
from cattailer.services.sounding.comps import pieces_in_use
from cattailer.services.sounding.meetings import meets_of
from cattailer.services.sounding.pieces import pieces_of
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.services.stages.takes.waves import drawn
from cattailer.store.models import Session

MOST_SAMPLES = 1 << 40


def track_pieces(desk: Desk, session: Session, track_id: int) -> list[Piece]:
    return [p for p in pieces_of(desk, session) if p.track == track_id]


def layers_of(desk: Desk, session: Session, track_id: int) -> list[list[Piece]]:
    """What is in use of a track, by layer; at least one, which may be empty."""
    pieces, meets = pieces_in_use(session, track_id), meets_of(desk, session)
    takes = take_sounds(desk, session, {p.take for p in pieces})
    return [
        sound_of(track_id, tuple(p for p in pieces if p.layer == layer), takes, session.rate_hz, meets)
        for layer in range(1 + max((p.layer for p in pieces), default=0))
    ]


def wave(
    desk: Desk, session_id: int, track_id: int, start: int, stop: int, columns: int, by_layer: bool = False
) -> list[list[int]]:
    """What is heard of a track in [start, stop), altogether or by layer: lowest and highest value (of 127) of each
    column. From the overviews, and from the samples themselves where a column is finer than those."""
    if not 1 <= columns <= overview.MOST_COLUMNS or not -MOST_SAMPLES < start < stop < MOST_SAMPLES:
        raise Refusal("That stretch of the timeline cannot be drawn.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        rows = layers_of(desk, session, track_id) if by_layer else [track_pieces(desk, session, track_id)]
    if (stop - start) >= overview.BUCKET * columns:
        return [drawn(pieces, start, stop, columns).ravel().tolist() for pieces in rows]
    return [_extremes(heard_between(pieces, start, stop)[0], columns).ravel().tolist() for pieces in rows]


def _extremes(sound: Floats, columns: int) -> NDArray[np.int16]:
    """Shape (columns, 2)."""
    edges = np.arange(columns) * len(sound) // columns
    both = np.stack([np.minimum.reduceat(sound, edges), np.maximum.reduceat(sound, edges)], axis=1)
    return np.clip(np.rint(both * 127.0), -127, 127).astype(np.int16)

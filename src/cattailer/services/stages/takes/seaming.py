"""Both sides of a seam: what they look like over each other, how they should cross, and where that is heard least."""

from dataclasses import dataclass

import numpy as np

from cattailer.core.comps import seams
from cattailer.core.comps.comppiece import Pieces
from cattailer.core.comps.crossing import usual_shape
from cattailer.core.comps.laying import meeting, piece_of
from cattailer.core.comps.sounding import crossing
from cattailer.core.errors import NotFound, NothingThere
from cattailer.core.units import milliseconds
from cattailer.services.desk.desk import Desk
from cattailer.services.session.reading import get_session
from cattailer.services.sounding.comps import pieces_in_use
from cattailer.services.sounding.meetings import both_sides, meets_of
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.store.models import Session, Track


@dataclass(frozen=True)
class SeamView:
    """``to`` is where it would be heard least, None where it is well as it is; ``words`` say why."""

    at: int
    to: int | None
    words: str
    shape: str


def look(desk: Desk, session_id: int, track_id: int, start: int, key: int = 0) -> SeamView:
    """The seam with which the piece begins that begins at ``start``, or has that key. Raises NotNow where there is no
    such piece."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        track = _track(session, track_id)
        pieces, start = _layer_of(pieces_in_use(session, track.id), key, start)
        try:
            number, before = meeting(pieces, start)
        except NothingThere:
            return SeamView(start, None, "The piece before it no longer ends where this one begins.", "")
        after = pieces[number]
        takes = take_sounds(desk, session, {before.take, after.take})
        crossed = crossing(before, after, takes, session.rate_hz, meets_of(desk, session))
    rate = session.rate_hz
    length = max(crossed.stop - crossed.start if crossed else 0, after.seam.samples if after.seam else 0, 2)
    sides = both_sides(before, after, takes, round(seams.SEARCH_S * rate))
    if sides is None:
        return SeamView(start, None, "Only one of the two takes has sound here.", "")
    proposal = seams.propose(sides.before, sides.after, length, start - sides.start, rate)
    shape = crossed.shape if crossed else ""
    if proposal is None:
        return SeamView(start, None, "It is heard least where it is.", shape)
    way = "later" if proposal.by > 0 else "earlier"
    far = milliseconds(abs(proposal.by), rate)
    less = min(proposal.better_db, 99.0)
    words = f"A seam {far:.0f} ms {way} leaves {less:.0f} dB less of a difference: {proposal.why}."
    return SeamView(start, start + proposal.by, words, shape)


def shape_for(desk: Desk, session: Session, pieces: Pieces, start: int, samples: int) -> str:
    """How the two sides of a seam of that length should cross, by how alike they are."""
    number, before = meeting(pieces, start)
    return usual_shape(meets_of(desk, session)(before, pieces[number], samples).alike)


def wave(
    desk: Desk, session_id: int, track_id: int, start: int, reach: int, key: int = 0
) -> tuple[int, list[list[int]]]:
    """Both sides over each other, as values of 127, and the timeline sample at which they begin."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        pieces, start = _layer_of(pieces_in_use(session, _track(session, track_id).id), key, start)
        try:
            number, before = meeting(pieces, start)
        except NothingThere:
            return start, [[], []]
        takes = take_sounds(desk, session, {before.take, pieces[number].take})
    sides = both_sides(before, pieces[number], takes, min(max(reach, 2), session.rate_hz))
    if sides is None:
        return start, [[], []]
    drawn = [np.clip(np.rint(s * 127.0), -127, 127).astype(int).tolist() for s in (sides.before, sides.after)]
    return sides.start, drawn


def _layer_of(pieces: Pieces, key: int, start: int) -> tuple[Pieces, int]:
    """The pieces of the layer that is meant, and where the piece begins. Raises NotNow where it is gone."""
    found = piece_of(pieces, key, start)
    layer = found.layer if found is not None else 0
    return tuple(p for p in pieces if p.layer == layer), found.start if found is not None else start


def _track(session: Session, track_id: int) -> Track:
    found = next((t for t in session.tracks if t.id == track_id), None)
    if found is None:
        raise NotFound(f"This session has no track with the number {track_id}. It may have been removed.")
    return found

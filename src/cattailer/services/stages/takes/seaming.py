"""Both sides of a seam: what they look like over each other, how they should cross, and where that is heard least."""

from collections.abc import Collection
from dataclasses import dataclass, replace

import numpy as np

from cattailer.core.comps import seams
from cattailer.core.comps.comppiece import CompPiece, Pieces
from cattailer.core.comps.laying import meeting, start_of
from cattailer.core.comps.sounding import TakeSound, crossing, sound_of, usual_seam
from cattailer.core.errors import NotFound, NothingThere
from cattailer.core.units import milliseconds
from cattailer.media.piecesound import Floats, heard_between
from cattailer.services.desk.desk import Desk
from cattailer.services.session import comping
from cattailer.services.session.reading import get_session
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.store.models import Session, Track


@dataclass(frozen=True)
class SeamView:
    """``to`` is where it would be heard least, None where it is well as it is; ``words`` say why."""

    at: int
    to: int | None
    words: str
    shape: str


@dataclass(frozen=True)
class Sides:
    """The sound of both takes around a seam, from timeline sample ``start`` on, as far as both have any."""

    start: int
    before: Floats
    after: Floats


def look(desk: Desk, session_id: int, track_id: int, start: int, key: int = 0) -> SeamView:
    """The seam with which the piece begins that begins at ``start``, or has that key. Raises NotNow where there is no
    such piece."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        track = _track(session, track_id)
        pieces = comping.heard(desk, session, track)
        start = start_of(pieces, key) if key else start
        try:
            number, before = meeting(pieces, start)
        except NothingThere:
            return SeamView(start, None, "The piece before it no longer ends where this one begins.", "")
        after = pieces[number]
        takes = take_sounds(desk, session, {before.take, after.take})
    rate = session.rate_hz
    crossed = crossing(before, after, takes, rate)
    length = max(crossed[1] - crossed[0], (after.seam or usual_seam(rate)).samples, 2)
    sides = both_sides(before, after, takes, rate, round(seams.SEARCH_S * rate))
    if sides is None:
        return SeamView(start, None, "Only one of the two takes has sound here.", "")
    proposal = seams.propose(sides.before, sides.after, length, start - sides.start, rate)
    shape = seams.suits(*_within(sides, start - length // 2, start - length // 2 + length))
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
    after = pieces[number]
    takes = take_sounds(desk, session, {before.take, after.take})
    sides = both_sides(before, after, takes, session.rate_hz, max(samples, 64))
    if sides is None:
        return usual_seam(session.rate_hz).shape
    return seams.suits(*_within(sides, start - samples // 2, start - samples // 2 + max(samples, 64)))


def suited(desk: Desk, session: Session, pieces: Pieces, places: Collection[int]) -> Pieces:
    """Seams at these places that nobody set cross as it suits how alike their sides are."""
    usual = usual_seam(session.rate_hz)
    for start in places:
        number = next((n for n, p in enumerate(pieces) if p.start == start), 0)
        after = pieces[number]
        if number and pieces[number - 1].stop == start == after.start and after.seam is None:
            shape = shape_for(desk, session, pieces, start, usual.samples)
            if shape != usual.shape:
                pieces = (*pieces[:number], replace(after, seam=replace(usual, shape=shape)), *pieces[number + 1 :])
    return pieces


def both_sides(
    before: CompPiece, after: CompPiece, takes: dict[int, TakeSound], rate_hz: int, reach: int
) -> Sides | None:
    """Both takes up to ``reach`` samples either side of where they meet, within their pieces and their sound."""
    one, other = takes.get(before.take), takes.get(after.take)
    if one is None or other is None:
        return None
    at = after.start
    first = max(at - reach, before.start, after.moved + other.reach[0])
    last = min(at + reach, after.stop, before.moved + one.reach[1])
    if last - first < 2:
        return None
    # A little more on both sides, so that nothing fades in what is compared.
    sides = []
    for piece in (before, after):
        bare = CompPiece(piece.take, piece.start, piece.samples, piece.offset, piece.gain_db, piece.flipped)
        wide = replace(
            bare, start=first - rate_hz, samples=last - first + 2 * rate_hz, offset=first - rate_hz - bare.moved
        )
        sides.append(heard_between(sound_of(0, (wide,), takes, rate_hz), first, last)[0])
    return Sides(first, *sides)


def wave(
    desk: Desk, session_id: int, track_id: int, start: int, reach: int, key: int = 0
) -> tuple[int, list[list[int]]]:
    """Both sides over each other, as values of 127, and the timeline sample at which they begin."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        pieces = comping.heard(desk, session, _track(session, track_id))
        start = start_of(pieces, key) if key else start
        try:
            number, before = meeting(pieces, start)
        except NothingThere:
            return start, [[], []]
        takes = take_sounds(desk, session, {before.take, pieces[number].take})
    sides = both_sides(before, pieces[number], takes, session.rate_hz, min(max(reach, 2), session.rate_hz))
    if sides is None:
        return start, [[], []]
    drawn = [np.clip(np.rint(s * 127.0), -127, 127).astype(int).tolist() for s in (sides.before, sides.after)]
    return sides.start, drawn


def _within(sides: Sides, start: int, stop: int) -> tuple[Floats, Floats]:
    first, last = max(0, start - sides.start), max(0, stop - sides.start)
    return sides.before[first:last], sides.after[first:last]


def _track(session: Session, track_id: int) -> Track:
    found = next((t for t in session.tracks if t.id == track_id), None)
    if found is None:
        raise NotFound(f"This session has no track with the number {track_id}. It may have been removed.")
    return found

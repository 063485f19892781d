"""What sounds of a session's takes: found in one query, and kept until the takes change."""

from dataclasses import dataclass

from sqlalchemy import func, orm, select

from cattailer.core.comps.sounding import sound_of
from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.pieces import Piece
from cattailer.services.desk.desk import Desk
from cattailer.services.sounding.comps import comps_in_use, tried
from cattailer.services.sounding.meetings import meets_of
from cattailer.services.sounding.ontop import on_top
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.store.models import Media, Session, Take, Track


@dataclass(frozen=True)
class LivePieces:
    """What sounded at a revision of what sounds: altogether, and by track where the newest takes lie on top."""

    of: tuple[int, int]
    spans_of: tuple[int, int]
    on_top: dict[int, list[Piece]]
    pieces: tuple[Piece, ...]


def pieces_of(desk: Desk, session: Session) -> tuple[Piece, ...]:
    """What sounds on all tracks, worked out again only where takes or comps changed since the last time."""
    kept, rate = desk.live.find(session.id, LivePieces), session.rate_hz
    of, spans = (session.takes_revision, rate), (session.spans_revision, rate)
    if kept is None or kept.of != of:
        newest = kept.on_top if kept is not None and kept.spans_of == spans else _newest(desk, session)
        by_track = {**newest, **comps_in_use(desk, session), **tried(desk, session)}
        kept = LivePieces(of, spans, newest, tuple(p for pieces in by_track.values() for p in pieces))
        desk.live.put(session.id, kept)
    return kept.pieces


def _newest(desk: Desk, session: Session) -> dict[int, list[Piece]]:
    """By track: what sounds where nobody chose."""
    found, meets = on_top(session), meets_of(desk, session)
    takes = take_sounds(desk, session, {p.take for pieces in found.values() for p in pieces})
    return {track: sound_of(track, pieces, takes, session.rate_hz, meets) for track, pieces in found.items()}


def end_of_takes(session: Session) -> int:
    """Where the last take ends, at the session's rate; 0 without takes."""
    return max((rescaled(last, rate, session.rate_hz) for rate, _, last in _reach(session)), default=0)


def span_of_takes(session: Session) -> tuple[int, int]:
    """Where the first take begins, not before 0, and where the last one ends, at the session's rate; (0, 0) without
    takes."""
    db = orm.object_session(session)
    assert db is not None
    query = (
        select(Media.rate_hz, func.min(Take.start), func.max(Take.start + Take.samples))
        .join(Media, Media.id == Take.media_id).join(Track, Track.id == Take.track_id)
        .where(Track.session_id == session.id, ~Take.binned).group_by(Media.rate_hz)
    )
    found = [
        (rescaled(first, rate, session.rate_hz), rescaled(last, rate, session.rate_hz))
        for rate, first, last in db.execute(query)
    ]
    return max(0, min((f for f, _ in found), default=0)), max((t for _, t in found), default=0)


def first_of_takes(session: Session) -> int:
    """Where the first sound of a take lies, at the session's rate, if that is before 0; else 0."""
    return min([0, *(rescaled(first, rate, session.rate_hz) for rate, first, _ in _reach(session))])


def _reach(session: Session) -> list[tuple[int, int, int]]:
    """(rate, first sample, end) of all takes, by rate."""
    db = orm.object_session(session)
    assert db is not None
    query = (
        select(Media.rate_hz, func.min(Take.start - Take.lead_in_samples), func.max(Take.start + Take.samples))
        .join(Media, Media.id == Take.media_id).join(Track, Track.id == Take.track_id)
        .where(Track.session_id == session.id, ~Take.binned).group_by(Media.rate_hz)
    )
    return [(rate, first, last) for rate, first, last in db.execute(query)]

"""What sounds of a session's takes: found in one query, and kept until the takes change."""

from dataclasses import dataclass, field

from sqlalchemy import case, func, orm, select
from sqlalchemy.orm import aliased

from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.over import LAYER, without
from cattailer.core.takes.pieces import Piece, TakeSpan, sounding
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.places import folder_of
from cattailer.store.models import Media, Run, Session, Take, Track


@dataclass
class LivePieces:
    """What sounded at a revision of the takes."""

    of: tuple[int, int] = (0, 0)
    pieces: tuple[Piece, ...] = field(default=())


def pieces_of(desk: Desk, session: Session) -> tuple[Piece, ...]:
    """What sounds on all tracks, worked out anew only when takes changed since the last time."""
    kept, of = desk.live.find(session.id, LivePieces), (session.takes_revision, session.rate_hz)
    if kept is None or kept.of != of:
        pieces = [p for spans in spans_of(desk, session).values() for p in sounding(spans)]
        kept = LivePieces(of, tuple(pieces))
        desk.live.put(session.id, kept)
    return kept.pieces


def spans_of(desk: Desk, session: Session) -> dict[int, list[TakeSpan]]:
    """By track: the takes that can be heard at the session's rate, where they lie. A take of another rate is heard from
    the file that it was converted to."""
    db = orm.object_session(session)
    assert db is not None
    lead_in, fit, lead_fit = aliased(Media), aliased(Media), aliased(Media)
    rate, folder = session.rate_hz, folder_of(desk, session)
    query = (
        select(
            Take.id, Take.track_id, Take.number, Take.start, Take.samples, Take.lead_in_samples, Media.rate_hz,
            case((Media.rate_hz == rate, Media.path), else_=fit.path),
            case((Media.rate_hz == rate, Media.samples), else_=fit.samples),
            case((lead_in.rate_hz == rate, lead_in.path), else_=lead_fit.path),
            case((lead_in.rate_hz == rate, lead_in.samples), else_=lead_fit.samples), Take.printed, Take.cuts, Run.over,
        )
        .join(Track, Track.id == Take.track_id).join(Media, Media.id == Take.media_id)
        .join(Run, Run.id == Take.run_id).outerjoin(lead_in, lead_in.id == Take.lead_in_id)
        .outerjoin(fit, (fit.original_id == Media.id) & (fit.rate_hz == rate) & (Media.rate_hz != rate))
        .outerjoin(
            lead_fit, (lead_fit.original_id == lead_in.id) & (lead_fit.rate_hz == rate) & (lead_in.rate_hz != rate)
        )
        .where(Track.session_id == session.id, Take.samples > 0, ~Take.binned)
        .order_by(Take.track_id, Take.number)
    )
    spans: dict[int, list[TakeSpan]] = {}
    seen: set[int] = set()
    for (
        take, track, number, at, _, opened, of_rate, path, samples, lead_path, lead_samples, printed, cuts, over
    ) in db.execute(query):
        if path is None or take in seen:
            continue
        seen.add(take)
        begins = rescaled(at, of_rate, rate)
        of_track = spans.setdefault(track, [])
        gone = [(rescaled(a, of_rate, rate), rescaled(b, of_rate, rate)) for a, b, _ in cuts]
        for a, b in without((begins, begins + samples), gone):
            of_track.append(TakeSpan(
                take, track, str(folder / path), a, b - a, number, a - begins, printed, over == LAYER
            ))
        if opened and lead_path is not None:
            heard = min(rescaled(opened, of_rate, rate), lead_samples)
            of_track.append(TakeSpan(
                take, track, str(folder / lead_path), begins - heard, heard, number, lead_samples - heard, printed
            ))
    return spans


def end_of_takes(session: Session) -> int:
    """Where the last take ends, at the session's rate; 0 without takes."""
    return max((rescaled(last, rate, session.rate_hz) for rate, _, last in _reach(session)), default=0)


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

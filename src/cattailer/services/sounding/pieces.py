"""What sounds of a session's takes: found in one query, and kept until the takes change."""

from dataclasses import dataclass

from sqlalchemy import case, func, orm, select
from sqlalchemy.orm import aliased

from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.over import LAYER, without
from cattailer.core.takes.pieces import Piece, TakeSpan, edge_samples, sounding
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.places import folder_of
from cattailer.services.sounding.comps import comps_in_use, tried
from cattailer.store.models import Media, Run, Session, Take, Track


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
        if kept is not None and kept.spans_of == spans:
            on_top = kept.on_top
        else:
            edge = edge_samples(rate)
            on_top = {track: sounding(found, edge) for track, found in spans_of(desk, session).items()}
        by_track = {**on_top, **comps_in_use(desk, session)}
        by_track.update(tried(desk, session, by_track))
        kept = LivePieces(of, spans, on_top, tuple(p for pieces in by_track.values() for p in pieces))
        desk.live.put(session.id, kept)
    return kept.pieces


def spans_of(desk: Desk, session: Session, of_track: int | None = None) -> dict[int, list[TakeSpan]]:
    """By track, or of one: the takes that can be heard at the session's rate, where they lie. A take of another rate is
    heard from the file that it was converted to."""
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
    if of_track is not None:
        query = query.where(Take.track_id == of_track)
    spans: dict[int, list[TakeSpan]] = {}
    seen: set[int] = set()
    for (
        take, track, number, at, _, opened, of_rate, path, samples, lead_path, lead_samples, printed, cuts, over
    ) in db.execute(query):
        if path is None or take in seen:
            continue
        seen.add(take)
        begins = rescaled(at, of_rate, rate)
        lying = spans.setdefault(track, [])
        gone = [(rescaled(a, of_rate, rate), rescaled(b, of_rate, rate)) for a, b, _ in cuts]
        for a, b in without((begins, begins + samples), gone):
            lying.append(TakeSpan(
                take, track, str(folder / path), a, b - a, number, a - begins, printed, over == LAYER
            ))
        if opened and lead_path is not None:
            heard = min(rescaled(opened, of_rate, rate), lead_samples)
            lying.append(TakeSpan(
                take, track, str(folder / lead_path), begins - heard, heard, number, lead_samples - heard, printed
            ))
    return spans


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

"""What is heard where nobody chose: the newest takes, and what is layered with them."""

from sqlalchemy import case, orm, select
from sqlalchemy.orm import aliased

from cattailer.core.comps.comppiece import Pieces
from cattailer.core.comps.ontop import TakeSpan, heard
from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.over import LAYER, without
from cattailer.store.models import Media, Run, Session, Take, Track


def on_top(session: Session, of_track: int | None = None) -> dict[int, Pieces]:
    """By track, or of one."""
    return {track: heard(found) for track, found in spans_of(session, of_track).items()}


def spans_of(session: Session, of_track: int | None = None) -> dict[int, list[TakeSpan]]:
    """By track, or of one: the takes that can be heard at the session's rate, where they lie. A take of another rate is
    heard from the file that it was converted to."""
    db = orm.object_session(session)
    assert db is not None
    lead_in, fit, lead_fit = aliased(Media), aliased(Media), aliased(Media)
    rate = session.rate_hz
    query = (
        select(
            Take.id, Take.track_id, Take.number, Take.start, Take.lead_in_samples, Media.rate_hz,
            case((Media.rate_hz == rate, Media.samples), else_=fit.samples),
            case((lead_in.rate_hz == rate, lead_in.samples), else_=lead_fit.samples), Take.cuts, Run.over,
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
    for take, track, number, at, opened, of_rate, samples, lead_samples, cuts, over in db.execute(query):
        if samples is None or take in seen:
            continue
        seen.add(take)
        begins, layered = rescaled(at, of_rate, rate), over == LAYER
        lying = spans.setdefault(track, [])
        gone = [(rescaled(a, of_rate, rate), rescaled(b, of_rate, rate)) for a, b, _ in cuts]
        for a, b in without((begins, begins + samples), gone):
            lying.append(TakeSpan(take, a, b - a, number, a - begins, layered))
        if opened and lead_samples is not None:
            let_in = min(rescaled(opened, of_rate, rate), lead_samples)
            lying.append(TakeSpan(take, begins - let_in, let_in, number, -let_in, layered))
    return spans

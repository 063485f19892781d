"""All that sounds of a take, or may: what lay before it, its own file, and what lay after a punch."""

from sqlalchemy import orm, select
from sqlalchemy.orm import selectinload

from cattailer.store.models import Media, Session, Take, Track

TakeFiles = list[tuple[Media, int]]
"""Each with where it begins on the timeline, in samples at its own rate; the take's own first."""


def files_of(take: Take) -> TakeFiles:
    out = [(take.media, take.start)]
    if take.lead_in is not None:
        out.append((take.lead_in, take.start - take.lead_in.samples))
    if take.lead_out is not None:
        out.append((take.lead_out, take.start + take.samples))
    return out


def takes_with_files(db: orm.Session, session: Session) -> list[Take]:
    """Of a session, in the order of its tracks; those in the bin too, which may be fetched back."""
    query = select(Take).join(Track).where(Track.session_id == session.id).order_by(Track.place, Take.number)
    with_it = (selectinload(each) for each in (Take.lead_out, Take.track, Take.run))
    return list(db.scalars(query.options(*with_it)))

"""A session read with all that a page shows."""

from sqlalchemy import orm, select
from sqlalchemy.orm import selectinload

from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import get_session
from cattailer.store.models import Run, Session, Take, Track


def load(db: orm.Session, session_id: int) -> Session:
    """In a few queries, however many rows there are. Raises NotFound."""
    get_session(db, session_id)
    takes = selectinload(Session.tracks).selectinload(Track.takes)
    runs = selectinload(Session.runs).selectinload(Run.takes)
    query = select(Session).where(Session.id == session_id).options(
        takes.selectinload(Take.media), takes.selectinload(Take.run), runs, selectinload(Session.inputs),
        selectinload(Session.groups), selectinload(Session.mixes), selectinload(Session.routes),
    )
    return db.scalars(query).one()


def revision_of(desk: Desk, session_id: int) -> int:
    """Raises NotFound."""
    with desk.database.transaction() as db:
        return get_session(db, session_id).revision

"""Reading sessions and what belongs to them."""

from sqlalchemy import orm, select
from sqlalchemy.orm import joinedload, selectinload

from cattailer.core.errors import NotFound
from cattailer.services.desk.desk import Desk
from cattailer.store.models import Session, Take


def get_session(db: orm.Session, session_id: int, lock: bool = False) -> Session:
    """Raises NotFound."""
    query = select(Session).where(Session.id == session_id)
    session = db.scalar(query.with_for_update() if lock else query)
    if session is None:
        raise NotFound(f"There is no session with the number {session_id}. It may have been removed.")
    return session


def get_take(db: orm.Session, session_id: int, take_id: int) -> Take:
    """Raises NotFound, for a take of another session too."""
    take = db.scalar(select(Take).where(Take.id == take_id).options(joinedload(Take.run)))
    if take is None or take.run.session_id != session_id:
        raise NotFound(f"This session has no take with the number {take_id}.")
    return take


def load(db: orm.Session, session_id: int) -> Session:
    """A session with all that a page shows but its takes and runs, in a few queries, however many rows there are.
    Raises NotFound."""
    query = select(Session).where(Session.id == session_id).options(
        selectinload(Session.tracks), selectinload(Session.inputs), selectinload(Session.groups),
        selectinload(Session.returns), selectinload(Session.mixes), selectinload(Session.routes),
    )
    session = db.scalars(query).one_or_none()
    return get_session(db, session_id) if session is None else session


def revision_of(desk: Desk, session_id: int) -> int:
    """Raises NotFound."""
    with desk.database.transaction() as db:
        return get_session(db, session_id).revision

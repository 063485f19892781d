"""Undo, redo, and the history in words."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import orm, select

from cattailer.core.errors import NotNow
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import count_on, note_what_sounds
from cattailer.services.session.pushing import push
from cattailer.services.session.rate import settle_markers
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import tempo_of
from cattailer.store.images import changes_plan, put_back
from cattailer.store.kept import History
from cattailer.store.models import Take


@dataclass(frozen=True)
class Line:
    """``state``: "done", "undone", "past" or "fixed"."""

    id: int
    at: datetime
    what: str
    state: str


def lines(db: orm.Session, session_id: int, most: int = 40) -> list[Line]:
    """The newest entries, newest first."""
    query = select(History).where(History.session_id == session_id, History.state != "past")
    rows = db.scalars(query.order_by(History.revision.desc()).limit(most))
    return [Line(h.id, h.at.astimezone(), h.what, h.state) for h in rows]


def undo(desk: Desk, session_id: int) -> str:
    """Takes back the latest edit that is done; returns what it was, in words.

    Raises NotNow when there is none, or when takes hang on it.
    """
    return _step(desk, session_id, back=True)


def redo(desk: Desk, session_id: int) -> str:
    """Does again what was undone last. Raises NotNow when there is nothing, or a new edit came since."""
    return _step(desk, session_id, back=False)


def _step(desk: Desk, session_id: int, back: bool) -> str:
    desk.forbid_while_capturing(session_id, "undo" if back else "redo")
    with desk.database.transaction() as db:
        session = get_session(db, session_id, lock=True)
        query = select(History).where(History.session_id == session_id)
        query = query.where(History.state == ("done" if back else "undone"))
        order = History.revision.desc() if back else History.revision.asc()
        entry = db.scalar(query.order_by(order).limit(1))
        if entry is None:
            raise NotNow("There is nothing to undo." if back else "There is nothing to redo.")
        images = entry.before if back else entry.after
        _spare_takes(db, images)
        if {"interface", "rate_hz", "period"} & set(images.get(f"sessions/{session.id}") or {}):
            desk.check_hardware(session_id, "changing the interface")
        before = tempo_of(session)
        put_back(db, session, images)
        if {"tempo", "rate_hz"} & set(images.get(f"sessions/{session.id}") or {}):
            settle_markers(db, session, before)  # they are no part of the history
        entry.state = "undone" if back else "done"
        # The entry keeps its place in the order; only the session's revision counts on.
        count_on(db, session, changes_plan(images))
        note_what_sounds(session, images)
        what = entry.what
    push(desk, session_id)
    return what


def _spare_takes(db: orm.Session, images: dict[str, object]) -> None:
    """A track that holds takes is never taken away again."""
    for key, image in images.items():
        gone = key.startswith("tracks/") and image is None
        if gone and db.scalar(select(Take.id).where(Take.track_id == int(key[7:])).limit(1)) is not None:
            raise NotNow("That would take away a track that holds takes by now, so nothing was undone.")


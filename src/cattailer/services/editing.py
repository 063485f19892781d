"""How an edit is made: one transaction, a history entry, a new revision, and the engine told."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import orm, select

from cattailer.core.errors import NotFound, Refusal
from cattailer.services.desk import Desk, log
from cattailer.services.planning import compile_plan
from cattailer.store.database import tell_revision
from cattailer.store.models import Base, History, Input, Session, Track


@dataclass
class Edit:
    """An edit in the making. ``what`` says it in words for the history."""

    db: orm.Session
    session: Session
    what: str = ""
    before: dict[str, Any] = field(default_factory=dict)
    after: dict[str, Any] = field(default_factory=dict)

    def put(self, row: Base, key: str, **values: Any) -> None:
        """Sets fields of a row and notes both images; what stays the same is no change."""
        for name, value in values.items():
            old = getattr(row, name)
            if old != value:
                self.before[f"{key}.{name}"] = old
                self.after[f"{key}.{name}"] = value
                setattr(row, name, value)

    def track(self, track_id: int) -> Track:
        for track in self.session.tracks:
            if track.id == track_id:
                return track
        raise NotFound(f"This session has no track with the number {track_id}. It may have been removed.")

    def input(self, socket: int) -> Input:
        for row in self.session.inputs:
            if row.socket == socket:
                return row
        raise NotFound(f"Nothing is plugged into socket {socket} in this session.")


def get_session(db: orm.Session, session_id: int, lock: bool = False) -> Session:
    """Raises NotFound."""
    query = select(Session).where(Session.id == session_id)
    session = db.scalar(query.with_for_update() if lock else query)
    if session is None:
        raise NotFound(f"There is no session with the number {session_id}. It may have been removed.")
    return session


@contextmanager
def editing(desk: Desk, session_id: int) -> Iterator[Edit]:
    """Everything inside is one edit. When nothing changed, nothing is entered."""
    with desk.database.transaction() as db:
        edit = Edit(db, get_session(db, session_id, lock=True))
        yield edit
        if not edit.after:
            return
        session = edit.session
        session.revision += 1
        db.add(History(
            session_id=session.id, revision=session.revision, what=edit.what, before=edit.before, after=edit.after
        ))
        tell_revision(db, session.id, session.revision)
        db.flush()
        plan = compile_plan(desk, session)
    push_if_open(desk, plan.session, plan.to_dict())


def push_if_open(desk: Desk, session_id: int, plan: dict[str, Any]) -> None:
    """Hands the plan to the engine when it runs this session. An engine that is away gets it later."""
    if desk.engine_state()["session"] != session_id:
        return
    try:
        desk.engine.ask("plan", plan=plan)
    except Refusal as why:
        log.warning("plan not taken", why=why.message)

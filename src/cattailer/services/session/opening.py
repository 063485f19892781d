"""Which session runs in the engine."""

from datetime import UTC, datetime

from sqlalchemy import select

from cattailer.core.errors import NotFound, NotNow, Refusal, Sure
from cattailer.core.shelves import BIN
from cattailer.services.desk.desk import Desk
from cattailer.services.session.compiling import compile_plan
from cattailer.services.session.pushing import send
from cattailer.services.session.reading import get_session
from cattailer.store.models import Session

OPEN_IT = "open"
"""What somebody answers who wants a session opened in place of another."""


def has_profile(desk: Desk, session_id: int) -> bool:
    """Whether the profile of a session's interface is here."""
    with desk.database.transaction() as db:
        return desk.profile_or_blank(get_session(db, session_id).interface).known


def open_session(desk: Desk, session_id: int) -> None:
    """Runs the session in the engine, as the database has it; when that is so already, nothing is done.

    Raises NotNow while another one rolls, Away without engine.
    """
    state = desk.engine_state()
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        if state.session == session_id and state.revision >= session.revision:
            return
        if session.kept == BIN:
            raise NotNow(f"“{session.title}” lies in the bin. Fetch it back in the list of sessions, then open it.")
        if not desk.profile_or_blank(session.interface).known:
            raise NotFound(
                f"The profile “{session.interface}” of this session's interface is not here. Nothing is lost: "
                "put the file back or choose another interface under Patch."
            )
        plan = compile_plan(desk, session)
    send(desk, plan)
    with desk.database.transaction() as db:
        get_session(db, session_id).opened_at = datetime.now(UTC)


def need_open(desk: Desk, session_id: int) -> None:
    """For what sounds or captures: the session runs in the engine, in place of none. Raises Sure where another one
    does, for somebody may be at work in it; and what ``open_session`` raises."""
    other = desk.engine_state().session
    if other not in (None, session_id):
        with desk.database.transaction() as db:
            open_now = db.get(Session, other)
            title = open_now.title if open_now is not None else "Another session"
        raise Sure(
            f"“{title}” is open in the studio, and somebody may be working in it. This opens your session instead.",
            "Open this session", OPEN_IT,
        )
    open_session(desk, session_id)


def reopen_last(desk: Desk) -> int | None:
    """After the engine was restarted: runs the session that was open last."""
    last = _last_open(desk)
    if last is not None:
        open_session(desk, last)
    return last


def open_at_start(desk: Desk, otherwise: int | None = None) -> str:
    """The session that was open last, or the other one; what cannot be opened holds up no start. Returns why, in words,
    where none is open."""
    said = ""
    for session_id in dict.fromkeys(i for i in (_last_open(desk), otherwise) if i is not None):
        try:
            open_session(desk, session_id)
        except Refusal as why:
            said = said or why.message
        else:
            return ""
    return said


def _last_open(desk: Desk) -> int | None:
    with desk.database.transaction() as db:
        query = select(Session.id).where(Session.opened_at.is_not(None)).order_by(Session.opened_at.desc())
        return db.scalar(query.limit(1))

"""Markers, notes, mishaps, and what somebody thinks of a run."""

from sqlalchemy import select

from cattailer.core.errors import NotFound, NotNow, Refusal
from cattailer.core.takes.marks import KINDS, MARKER, RATING, RATINGS
from cattailer.core.transport import captures
from cattailer.services.desk.desk import Desk
from cattailer.services.running.binning import newest_run
from cattailer.services.session.editing import count_on, editing
from cattailer.services.session.reading import get_session
from cattailer.store.kept import Mark
from cattailer.store.models import Run

MOST_TEXT, MOST_AUTHOR = 500, 60


def mark(desk: Desk, session_id: int, kind: str = MARKER, text: str = "", author: str = "") -> str:
    """Where the timeline is now. Raises Refusal, NotNow. Returns words."""
    if kind not in KINDS or len(text) > MOST_TEXT or len(author) > MOST_AUTHOR:
        raise Refusal(f"A mark is a {', a '.join(KINDS)}, of {MOST_TEXT} characters at most. Nothing was marked.")
    state = desk.engine_state()
    if state.session != session_id:
        raise NotNow("This session is not open, so its timeline is nowhere. Open it, then mark.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id, lock=True)
        db.add(Mark(
            session_id=session_id, at=state.position, rate_hz=session.rate_hz, kind=kind, text=text.strip(),
            author=author.strip(), run=state.run or "",
        ))
        count_on(db, session)
    return f"{kind.capitalize()} set."


def unmark(desk: Desk, session_id: int, mark_id: int) -> None:
    with desk.database.transaction() as db:
        session = get_session(db, session_id, lock=True)
        found = db.get(Mark, mark_id)
        if found is None or found.session_id != session_id:
            raise NotFound("That mark is not here any more.")
        db.delete(found)
        count_on(db, session)


def rate(desk: Desk, session_id: int, rating: str, number: int | None = None) -> str:
    """The run that is captured, or that number, or the newest. The same rating again takes it away. Returns words."""
    if rating not in RATINGS:
        raise Refusal(f"A take is {', '.join(RATINGS)}; nothing was changed.")
    state = desk.engine_state()
    if number is None and state.session == session_id and captures(state.state) and state.run:
        return _while_captured(desk, session_id, state.run, state.position, rating)
    with editing(desk, session_id) as edit:
        run = newest_run(edit) if number is None else edit.db.scalar(
            select(Run).where(Run.session_id == session_id, Run.number == number)
        )
        if run is None:
            raise NotFound(f"There is no take {number} in this session.")
        run.rating = "" if run.rating == rating else rating
        edit.what = f"Take {run.number}: {run.rating or 'no rating'}"
    return f"{edit.what}."


def _while_captured(desk: Desk, session_id: int, run: str, position: int, rating: str) -> str:
    with desk.database.transaction() as db:
        session = get_session(db, session_id, lock=True)
        db.add(Mark(session_id=session_id, at=position, rate_hz=session.rate_hz, kind=RATING, text=rating, run=run))
        count_on(db, session)
    return f"This pass: {rating}."

"""Making, opening and listing sessions."""

from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy import func, select

from cattailer.core.naming import clean_name
from cattailer.services.desk.desk import Desk
from cattailer.services.session import templates
from cattailer.services.session.editing import editing
from cattailer.services.session.reading import get_session
from cattailer.services.session.shapes import build, shape_of
from cattailer.store.models import Run, Session, Take, Track


@dataclass(frozen=True)
class SessionCard:
    """One line of the session list; ``kept`` says on which shelf it is, see ``shelving``."""

    id: int
    title: str
    interface: str
    rate_hz: int
    bits: int
    tracks: int
    runs: int
    takes: int
    created_at: datetime
    open: bool
    kept: str


def list_sessions(desk: Desk) -> list[SessionCard]:
    """Newest first."""
    running = desk.engine_state().session

    def count(model: type[Track] | type[Run]) -> Any:
        return select(func.count()).where(model.session_id == Session.id).correlate(Session).scalar_subquery()

    takes = select(func.count(Take.id)).join(Run).where(Run.session_id == Session.id).correlate(Session)
    query = select(Session, count(Track), count(Run), takes.scalar_subquery()).order_by(Session.id.desc())
    with desk.database.transaction() as db:
        return [
            SessionCard(
                s.id, s.title, desk.profile_or_blank(s.interface).name, s.rate_hz, s.bits,
                tracks, runs, taken, s.created_at, s.id == running, s.kept,
            )
            for s, tracks, runs, taken in db.execute(query)
        ]


@dataclass(frozen=True)
class Hardware:
    """What a new session asks for; None means as the template has it."""

    interface: str | None = None
    rate_hz: int | None = None
    period: int | None = None
    bits: int | None = None


def is_empty(desk: Desk, session_id: int) -> bool:
    """Whether it has no track yet."""
    with desk.database.transaction() as db:
        return not get_session(db, session_id).tracks


def create_session(desk: Desk, title: str, wanted: Hardware = Hardware(), template: str = templates.EMPTY) -> int:
    """A session from a template, none of its tracks armed. Raises Refusal for what cannot be."""
    title = clean_name(title, "session's name")
    shape = templates.find(desk, template).shape
    profile = desk.profile(wanted.interface or shape.interface)
    near = profile.settle(shape.rate_hz, shape.period, shape.bits)
    rate_hz = profile.check_rate(wanted.rate_hz or near[0])
    period = profile.check_period(wanted.period or near[1])
    bits = profile.check_bits(wanted.bits or near[2])
    shape = replace(shape, interface=profile.key, rate_hz=rate_hz, period=period, bits=bits)
    with desk.database.transaction() as db:
        return build(desk, db, title, shape).id


def copy_session(desk: Desk, session_id: int, title: str) -> int:
    """The same session without its takes, under another name; returns its id."""
    title = clean_name(title, "session's name")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        return build(desk, db, title, shape_of(session), session.code).id


def rename_session(desk: Desk, session_id: int, title: str, was: str | None = None) -> None:
    """Folder and files that are there keep their names."""
    title = clean_name(title, "session's name")
    with editing(desk, session_id) as edit:
        edit.expect(edit.session, "title", was, "The session's name")
        edit.what = f"Session renamed to {title}"
        edit.session.title = title

"""Making, opening and listing sessions."""

import shutil
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import func, select

from cattailer.core.errors import NotFound
from cattailer.core.naming import clean_name
from cattailer.services.desk.desk import Desk
from cattailer.services.session import templates
from cattailer.services.session.editing import editing, get_session
from cattailer.services.session.planning import compile_plan
from cattailer.services.session.shapes import build, shape_of
from cattailer.store.models import Run, Session, Take, Track


@dataclass(frozen=True)
class SessionCard:
    """One line of the session list."""

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


def list_sessions(desk: Desk) -> list[SessionCard]:
    """Newest first."""
    running = desk.engine_state()["session"]

    def count(model: type[Track] | type[Run]) -> Any:
        return select(func.count()).where(model.session_id == Session.id).correlate(Session).scalar_subquery()

    takes = select(func.count(Take.id)).join(Run).where(Run.session_id == Session.id).correlate(Session)
    query = select(Session, count(Track), count(Run), takes.scalar_subquery()).order_by(Session.id.desc())
    with desk.database.transaction() as db:
        return [
            SessionCard(
                s.id, s.title, desk.profile_or_blank(s.interface).name, s.rate_hz, s.bits,
                tracks, runs, taken, s.created_at, s.id == running,
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


def has_profile(desk: Desk, session_id: int) -> bool:
    """Whether the profile of a session's interface is here."""
    with desk.database.transaction() as db:
        return desk.profile_or_blank(get_session(db, session_id).interface).there


def open_session(desk: Desk, session_id: int) -> None:
    """Runs the session in the engine. Raises NotNow while another one rolls, Away without engine."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        plan = compile_plan(desk, session)
    if not desk.profile_or_blank(plan.interface).there:
        raise NotFound(
            f"The profile “{plan.interface}” of this session's interface is not here. Nothing is lost: "
            "put the file back or choose another interface under Patch."
        )
    if desk.engine_state()["session"] != session_id:
        desk.engine.ask("plan", 30.0, plan=plan.to_dict())
    with desk.database.transaction() as db:
        get_session(db, session_id).opened_at = datetime.now(UTC)


def reopen_last(desk: Desk) -> int | None:
    """After the engine was started anew: runs the session that was open last."""
    with desk.database.transaction() as db:
        query = select(Session.id).where(Session.opened_at.is_not(None)).order_by(Session.opened_at.desc())
        last = db.scalar(query.limit(1))
    if last is not None:
        open_session(desk, last)
    return last


def set_click(desk: Desk, session_id: int, on: bool) -> None:
    with editing(desk, session_id) as edit:
        edit.what = f"Click switched {'on' if on else 'off'}"
        edit.session.click = on


def disk_minutes_left(desk: Desk, channels: int, rate_hz: int, bits: int) -> float:
    """Minutes of capture that fit on the media folder's disk for so many channels."""
    folder = desk.media
    while not folder.exists():
        folder = folder.parent
    per_minute = max(1, channels) * rate_hz * bits // 8 * 60
    return shutil.disk_usage(folder).free / per_minute

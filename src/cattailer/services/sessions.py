"""Making, opening and listing sessions."""

import shutil
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import func, select

from cattailer.core.naming import clean_name, safe_part
from cattailer.core.timeline import TempoMap
from cattailer.services.desk import Desk
from cattailer.services.editing import editing, get_session
from cattailer.services.planning import compile_plan
from cattailer.store.models import Input, Run, Session, Take, Track


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
                s.id, s.title, desk.profile_names.get(s.interface, s.interface), s.rate_hz, s.bits,
                tracks, runs, taken, s.created_at, s.id == running,
            )
            for s, tracks, runs, taken in db.execute(query)
        ]


def create_session(desk: Desk, title: str, interface: str, rate_hz: int, period: int, bits: int) -> int:
    """A session with a track for every socket, none armed. Raises Refusal for what cannot be."""
    title = clean_name(title, "session's name")
    profile = desk.profile(interface)
    profile.check_rate(rate_hz)
    profile.check_period(period)
    profile.check_bits(bits)
    with desk.database.transaction() as db:
        session = Session(
            title=title, folder=f"new-{datetime.now(UTC).timestamp()}", interface=interface, rate_hz=rate_hz,
            period=period, bits=bits, tempo=TempoMap(rate_hz).to_dict(),
            inputs=[Input(socket=n) for n in range(1, profile.inputs + 1)],
            tracks=[Track(place=n, name=f"Input {n}", sockets=[n]) for n in range(1, profile.inputs + 1)],
        )
        db.add(session)
        db.flush()
        session.folder = f"{safe_part(title, 40)}-{session.id}"
        return session.id


def open_session(desk: Desk, session_id: int) -> None:
    """Runs the session in the engine. Raises NotNow while another one rolls, Away without engine."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        plan = compile_plan(desk, session)
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
        edit.put(edit.session, "session", click=on)


def disk_minutes_left(desk: Desk, channels: int, rate_hz: int, bits: int) -> float:
    """Minutes of capture that fit on the media folder's disk for so many channels."""
    folder = desk.media
    while not folder.exists():
        folder = folder.parent
    per_minute = max(1, channels) * rate_hz * bits // 8 * 60
    return shutil.disk_usage(folder).free / per_minute

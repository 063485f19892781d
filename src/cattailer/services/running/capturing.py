"""How a session captures: its settings, and the course that the next capture takes."""

from sqlalchemy import orm, select

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.course import Course
from cattailer.core.takes.settings import CaptureSettings, Place, course_of
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import editing
from cattailer.services.session.rows import tempo_of
from cattailer.store.models import Run, Session


def settings_of(session: Session) -> CaptureSettings:
    return CaptureSettings.from_dict(session.capturing)


def change(desk: Desk, session_id: int, name: str, value: str) -> None:
    """A setting, as it was typed. Raises Refusal for what cannot be."""
    with editing(desk, session_id) as edit:
        now = settings_of(edit.session)
        try:
            made = now.changed(name, value)
        except ValueError as why:
            raise Refusal(f"That cannot be: {why}. Everything stays as it was.") from why
        edit.what = f"Capture: {name.rsplit('_', 1)[0].replace('_', ' ')} {value}"
        edit.session.capturing = made.to_dict()


def course_from(db: orm.Session, session: Session, playhead: int) -> Course:
    """What the next capture does, from where the timeline stands. Raises NotNow where it cannot begin there."""
    last = db.execute(
        select(Run.start, Run.rate_hz).where(Run.session_id == session.id).order_by(Run.number.desc()).limit(1)
    ).first()
    place = Place(
        playhead, (session.range_start, session.range_stop), session.looping,
        rescaled(last[0], last[1], session.rate_hz) if last else playhead,
    )
    try:
        return course_of(settings_of(session), tempo_of(session), place)
    except ValueError as why:
        raise NotNow(
            f"It begins at the range, but {why}; nothing was captured. Type its bars, or begin at the playhead."
        ) from why

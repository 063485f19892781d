"""Takes that are tried in the mix, in place of what is in use; nothing is chosen by it."""

from typing import Any

from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import count_on
from cattailer.services.session.pushing import push
from cattailer.services.session.reading import get_session


def set_tried(desk: Desk, session_id: int, tried: dict[str, Any]) -> bool:
    """What is tried, by track; the same again, or nothing, ends it. Returns whether something is tried now."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id, lock=True)
        now = {} if session.hearing == tried else tried
        if now == session.hearing:
            return bool(now)
        session.hearing = now
        count_on(db, session, plan=False)
        session.takes_revision = session.revision
    push(desk, session_id)
    return bool(now)


def end(desk: Desk, session_id: int) -> None:
    """What is in use is heard again."""
    set_tried(desk, session_id, {})

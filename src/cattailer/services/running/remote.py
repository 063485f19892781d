"""The session that is open, as scripts and other controllers see it."""

from dataclasses import dataclass

from sqlalchemy import select

from cattailer.core.errors import Away, NotNow
from cattailer.core.patch.ends import socket_of
from cattailer.core.takes.marks import MARKER
from cattailer.core.transport import STOPPED
from cattailer.engine.messages.commands import AWAY
from cattailer.engine.messages.telemetry import Frame
from cattailer.engine.process.client import ENGINE_AWAY, Listener
from cattailer.services.desk.desk import Desk
from cattailer.services.running import marking, transport
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import patch_of
from cattailer.store.models import Run

FRAME_MS = 1000
NONE_OPEN = "No session is open in the studio. Open one on a page first; nothing was done."


@dataclass(frozen=True)
class TrackNow:
    id: int
    name: str
    armed: bool
    muted: bool
    soloed: bool
    sockets: list[int]


def open_one(desk: Desk) -> int:
    """The number of the session that is open. Raises NotNow, Away."""
    state = desk.engine_state()
    if state.state == AWAY:
        raise Away(ENGINE_AWAY)
    if state.session is None:
        raise NotNow(NONE_OPEN)
    return state.session


def frame(desk: Desk) -> Frame:
    """The next of the thirty frames a second. Raises NotNow, Away."""
    open_one(desk)
    listener = Listener(desk.telemetry, ("frame",))
    try:
        for message in listener.receive(FRAME_MS):
            if message["topic"] == "frame":
                return message
    finally:
        listener.close()
    raise Away(ENGINE_AWAY)


def tracks(desk: Desk) -> list[TrackNow]:
    """From the top. Raises NotNow, Away."""
    session_id = open_one(desk)
    with desk.database.transaction() as db:
        return [
            TrackNow(t.id, t.name, t.armed, t.muted, t.soloed, [s for f in t.feeds if (s := socket_of(f))])
            for t in patch_of(get_session(db, session_id)).tracks
        ]


def runs(desk: Desk, most: int) -> list[Run]:
    """The newest first. Raises NotNow, Away."""
    session_id = open_one(desk)
    with desk.database.transaction() as db:
        query = select(Run).where(Run.session_id == session_id).order_by(Run.number.desc()).limit(most)
        return list(db.scalars(query))


def mark(desk: Desk, kind: str = MARKER, text: str = "", author: str = "") -> str:
    """Where the timeline is now. Raises Refusal, NotNow."""
    return marking.mark(desk, open_one(desk), kind, text, author)


def toggle(desk: Desk, capture: bool) -> str:
    """What one pedal does: starts what is stopped, stops what goes on. Returns the state. Raises Refusal, NotNow."""
    session_id = open_one(desk)
    if desk.engine_state().state != STOPPED:
        return transport.stop(desk, session_id).status.state
    return (transport.capture if capture else transport.roll)(desk, session_id).state

"""The tuner of one row."""

from cattailer.core.errors import Refusal
from cattailer.core.sound import tuner
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.listening import newest
from cattailer.services.session.editing import editing
from cattailer.services.session.reading import get_session

LOWEST_REFERENCE_HZ, HIGHEST_REFERENCE_HZ = 390.0, 470.0


def reference(desk: Desk, session_id: int) -> float:
    with desk.database.transaction() as db:
        return get_session(db, session_id).reference_hz


def hear(desk: Desk, session_id: int, socket: int, reference_hz: float) -> tuner.Note | None:
    """The note at a socket right now, or None when there is no clear one. Raises Refusal."""
    got = newest(desk.engine, session_id, [socket - 1], tuner.WINDOW_S)
    return tuner.hear(got.sound[0], got.rate_hz, reference_hz)


def set_reference(desk: Desk, session_id: int, hz: float) -> None:
    if not LOWEST_REFERENCE_HZ <= hz <= HIGHEST_REFERENCE_HZ:
        between = f"{LOWEST_REFERENCE_HZ:g} and {HIGHEST_REFERENCE_HZ:g} Hz"
        raise Refusal(f"The reference lies between {between}; {hz:g} is not. It stays as it was.")
    with editing(desk, session_id) as edit:
        edit.what = f"Tuner: A is {hz:g} Hz"
        edit.session.reference_hz = hz

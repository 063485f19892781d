"""What will be captured."""

from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import editing


def arm_track(desk: Desk, session_id: int, track_id: int, armed: bool) -> None:
    desk.forbid_while_capturing(session_id, "arming")
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        edit.what = f"{track.name} {'armed' if armed else 'no longer armed'}"
        track.armed = armed


def arm_all(desk: Desk, session_id: int, armed: bool) -> None:
    desk.forbid_while_capturing(session_id, "arming")
    with editing(desk, session_id) as edit:
        edit.what = "All tracks armed" if armed else "No track armed"
        for track in edit.session.tracks:
            track.armed = armed

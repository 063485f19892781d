"""Naming and arming tracks."""

from cattailer.core.naming import clean_name
from cattailer.services.desk import Desk
from cattailer.services.editing import editing


def rename_track(desk: Desk, session_id: int, track_id: int, name: str) -> None:
    """Files that are there keep their names."""
    name = clean_name(name, "track's name")
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        edit.what = f"{track.name} renamed to {name}"
        edit.put(track, f"track {track_id}", name=name)


def arm_track(desk: Desk, session_id: int, track_id: int, armed: bool) -> None:
    desk.forbid_while_capturing(session_id, "arming")
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        edit.what = f"{track.name} {'armed' if armed else 'no longer armed'}"
        edit.put(track, f"track {track_id}", armed=armed)


def arm_all(desk: Desk, session_id: int, armed: bool) -> None:
    desk.forbid_while_capturing(session_id, "arming")
    with editing(desk, session_id) as edit:
        edit.what = "All tracks armed" if armed else "No track armed"
        for track in edit.session.tracks:
            edit.put(track, f"track {track.id}", armed=armed)

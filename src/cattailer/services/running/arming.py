"""What will be captured."""

from collections.abc import Callable

from cattailer.core.errors import NotNow
from cattailer.core.patch.ends import group_end, track_end
from cattailer.core.transport import captures
from cattailer.core.wording import counted
from cattailer.engine.messages.commands import JoinRun, LeaveRun
from cattailer.media import journal
from cattailer.services.desk.desk import Desk
from cattailer.services.running.runheader import next_run
from cattailer.services.session.compiling import fed
from cattailer.services.session.editing import Edit, editing
from cattailer.store.models import Track


def arm_track(desk: Desk, session_id: int, track_id: int, armed: bool) -> None:
    """Raises NotNow for a track that is locked. While a capture runs a track can join it, and leave it."""
    arm_some(desk, session_id, [track_id], armed)


def arm_all(desk: Desk, session_id: int, armed: bool) -> None:
    """All that are not locked."""
    _arm(desk, session_id, armed, lambda edit: [t for t in edit.session.tracks if not t.locked])


def arm_some(desk: Desk, session_id: int, track_ids: list[int], armed: bool) -> None:
    """Raises NotNow for one that is locked and would change."""
    _arm(desk, session_id, armed, lambda edit: [edit.track(i) for i in track_ids])


def arm_group(desk: Desk, session_id: int, group_id: int, armed: bool) -> None:
    """All tracks that are summed in a group and are not locked."""
    def of_group(edit: Edit) -> list[Track]:
        end = group_end(edit.group(group_id).id)
        within = {r.start for r in edit.session.routes if r.target == end}
        return [t for t in edit.session.tracks if track_end(t.id) in within and not t.locked]

    _arm(desk, session_id, armed, of_group)


def lock_track(desk: Desk, session_id: int, track_id: int, locked: bool) -> None:
    """A locked track stays armed or not, as it is."""
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        edit.what = f"{track.name} {'locked' if locked else 'no longer locked'}"
        track.locked = locked


def _set(track: Track, armed: bool) -> None:
    if track.armed != armed and track.locked:
        raise NotNow(f"{track.name} is locked, so it stays as it is. Press its lock first.")
    track.armed = armed


def _arm(desk: Desk, session_id: int, armed: bool, which: Callable[[Edit], list[Track]]) -> None:
    """While a capture runs, those that are armed join it, from its beginning if that is still held, and those that are
    disarmed end where they are. Raises NotNow where none would go on."""
    state = desk.engine_state()
    runs = state.session == session_id and captures(state.state)
    with editing(desk, session_id) as edit:
        tracks = [t for t in which(edit) if t.armed != armed]
        for track in tracks:
            _set(track, armed)
        name = tracks[0].name if len(tracks) == 1 else counted(len(tracks), "track")
        edit.what = f"{name} {'armed' if armed else 'no longer armed'}"
        joining = [t.id for t in fed(desk, edit.session) if t in tracks] if armed and runs else []
        if runs and not armed and tracks:
            desk.engine.ask(LeaveRun([t.id for t in tracks]))
        header = next_run(desk, edit.db, edit.session, joining)[0] if joining else None
        named = [edit.session.name_pattern, edit.session.code]
    if header is not None:
        desk.engine.ask(JoinRun(journal.plain_header(header), named))

"""The input list: previewing, taking over and writing CSV."""

from cattailer.core.errors import Refusal
from cattailer.core.naming import safe_part
from cattailer.core.patch import inputlist
from cattailer.core.patch.ends import socket_end
from cattailer.core.patch.patch import PatchInput
from cattailer.core.patch.patchcheck import DEFAULT_NAME
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import Edit, editing
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import patch_of
from cattailer.services.session.tracks import add_one


def preview(desk: Desk, session_id: int, text: str) -> inputlist.Preview:
    """What a list would change, row by row; changes nothing. Raises Refusal when it is no list."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        return inputlist.read(text, patch_of(session), desk.profile_or_blank(session.interface))


def take_over(desk: Desk, session_id: int, text: str) -> int:
    """Takes a list over, all of it or nothing; returns how many rows it had.

    Raises Refusal when a row has a problem, and NotNow while a capture runs.
    """
    desk.forbid_while_capturing(session_id, "the input list")
    with editing(desk, session_id) as edit:
        patch, profile = patch_of(edit.session), desk.profile(edit.session.interface)
        read = inputlist.read(text, patch, profile)
        wrong = next((line for line in read.lines if line.problems), None)
        if wrong is not None:
            raise Refusal(f"Line {wrong.number}: {wrong.problems[0]}. Nothing of the list was taken over.")
        for line in read.lines:
            assert line.socket is not None
            old = patch.input(line.socket) or PatchInput(line.socket)
            _to_track(edit, line.socket, str(line.values.get("label", "")), bool(line.track), old)
            row = edit.input(line.socket)
            for name, value in line.values.items():
                setattr(row, name, value)
            if any(change.what in ("name", "source") for change in line.changes):
                row.checked = False
            for shared in profile.bank(line.socket) if row.phantom else ():
                edit.input(shared).phantom = True
        edit.what = f"Input list with {len(read.lines)} rows taken over"
        return len(read.lines)


def export(desk: Desk, session_id: int) -> tuple[str, str]:
    """(the list as CSV, a name for the file)."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        text = inputlist.write(patch_of(session), desk.profile_or_blank(session.interface))
        return text, f"{safe_part(session.title)}_input-list.csv"


def _to_track(edit: Edit, socket: int, label: str, changes: bool, old: PatchInput) -> None:
    if not changes:
        return
    fed = [t for t in edit.session.tracks if socket_end(socket) in t.feeds]
    if not fed:
        add_one(edit, [socket_end(socket)], label)
    elif DEFAULT_NAME.fullmatch(fed[0].name) or fed[0].name == old.label:
        fed[0].name = label

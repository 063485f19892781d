"""Sessions that are put away, put into the bin, fetched back, and deleted for good."""

import shutil
from pathlib import Path

from sqlalchemy import delete, func, select

from cattailer.core.errors import NotNow, Refusal, Sure
from cattailer.core.shelves import BIN, LISTED, SHELVES
from cattailer.core.wording import counted
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.places import folder_of
from cattailer.services.session.editing import count_on
from cattailer.services.session.reading import get_session
from cattailer.store.models import Media, Session, Take, Track


def shelve(desk: Desk, session_id: int, shelf: str, sure: bool = False) -> None:
    """In the list, put away, or in the bin with all that was captured; nothing is moved or deleted. Raises Sure before
    it goes to the bin, NotNow where it is open in the engine."""
    if shelf not in SHELVES:
        raise Refusal("A session is in the list, put away, or in the bin. Nothing was changed.")
    if shelf != LISTED and desk.engine_state().session == session_id:
        raise NotNow("This session is open in the engine. Open another one first; nothing was changed.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id, lock=True)
        if shelf == BIN and not sure:
            takes = db.scalar(select(func.count(Take.id)).join(Track).where(Track.session_id == session_id)) or 0
            held = f"{counted(takes, 'take')} and their files" if takes else "no takes"
            raise Sure(
                f"“{session.title}”, with {held}, goes to the bin. It comes back from there until somebody deletes it "
                "for good.", "To the bin",
            )
        session.kept = shelf
        if shelf != LISTED:
            session.opened_at = None  # it is not opened by itself any more
        count_on(db, session)


def delete_for_good(desk: Desk, session_id: int, knows: bool, sure: bool) -> None:
    """Deletes a session in the bin, with the folder that its takes lie in. Second copies stay. Raises Refusal unless
    somebody knows what it does, and Sure unless they are sure."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id, lock=True)
        if session.kept != BIN:
            raise NotNow("Only a session that lies in the bin can be deleted for good. Nothing was deleted.")
        if not knows:
            raise Refusal("Tick that you know what this does first; nothing was deleted.")
        folder, title = folder_of(desk, session), session.title
        elsewhere = db.scalars(select(Media.path).where(Media.session_id == session_id, Media.path.startswith("/")))
        others = {Path(path).parent.parent for path in elsewhere if Path(path).parent.parent.name == session.folder}
        if not sure:
            raise Sure(
                f"This deletes “{title}” and everything in {folder} for good. Nobody can fetch it back, and Undo "
                "cannot either.", "Delete for good",
            )
        db.execute(delete(Session).where(Session.id == session_id))
    for each in {folder, *others}:
        shutil.rmtree(each, ignore_errors=True)
    desk.live.forget(session_id)

"""Where the sound of sessions lies: below the usual media folder, or one that was chosen for a session."""

from pathlib import Path

from sqlalchemy import orm, select

from cattailer.core.errors import NotNow
from cattailer.media.mark import read_mark
from cattailer.services.desk.desk import Desk
from cattailer.store.models import Session


def root_of(desk: Desk, session: Session) -> Path:
    return Path(session.media_root) if session.media_root else desk.media


def folder_of(desk: Desk, session: Session) -> Path:
    """The session's own folder."""
    return root_of(desk, session) / session.folder


def kept_as(folder: Path, path: Path) -> str:
    """How a file is named in a session with that folder: by its place below it, or whole where it lies elsewhere."""
    return str(path.relative_to(folder)) if path.is_relative_to(folder) else str(path)


def roots(desk: Desk, db: orm.Session) -> list[Path]:
    """Every folder below which sessions capture, the usual one first."""
    columns = Session.media_root, Session.fallback_root
    chosen = {root for row in db.execute(select(*columns).distinct()) for root in row if root}
    return [desk.media, *sorted(Path(root) for root in chosen if Path(root) != desk.media)]


def root_there(desk: Desk, session: Session) -> bool:
    """Whether the session's media folder is there, and not the empty place where its disk was mounted."""
    return bool(read_mark(Path(session.media_root))) if session.media_root else desk.media_there()


def check_root(desk: Desk, session: Session) -> None:
    """Raises NotNow where the session's media folder is gone, or its disk is not there."""
    if not session.media_root:
        desk.check_media()
    elif not root_there(desk, session):
        raise NotNow(
            f"The media folder of this session, {session.media_root}, is not there; perhaps its disk is not mounted. "
            "Nothing was captured, and nothing is made anew. Put it back, or choose another in How."
        )

"""Where a session's sound goes: its media folder, a second copy, and a fallback for a disk that fails."""

import os
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import orm, update

from cattailer.core.errors import NotNow, Refusal
from cattailer.media import mark, speed
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.places import folder_of, root_of
from cattailer.services.session.editing import enter
from cattailer.services.session.reading import get_session
from cattailer.store.models import Media, Run, Session

MEDIA, COPY, FALLBACK = "media", "copy", "fallback"
PLACES = {
    MEDIA: ("media_root", "media folder"), COPY: ("copy_root", "second copy"), FALLBACK: ("fallback_root", "fallback"),
}
"""The column of each, and its words."""
EARLIER = "earlier"
"""The copy of runs from before one was wanted."""


@dataclass(frozen=True)
class Places:
    """Folders; empty where none was chosen. ``usual`` is where media go then."""

    media: str
    copy: str
    fallback: str
    usual: str


def places_of(desk: Desk, session: Session) -> Places:
    return Places(session.media_root, session.copy_root, session.fallback_root, str(desk.media))


def choose(desk: Desk, session_id: int, place: str, typed: str) -> str:
    """A folder that is there, or empty for none. What was captured stays where it is. Returns words. Raises Refusal."""
    if place not in PLACES:
        raise Refusal("There is no such place; nothing was changed.")
    column, name = PLACES[place]
    desk.forbid_while_capturing(session_id, f"choosing the {name}")
    root = _checked(typed.strip()) if typed.strip() else None
    with desk.database.transaction() as db:
        session = get_session(db, session_id, lock=True)
        others = [str(desk.media), *(getattr(session, c) for c, _ in PLACES.values() if c != column)]
        if root is not None and any(_nested(root, Path(other)) for other in others if other):
            raise Refusal(
                f"{root} is used already, or lies in a folder that is (or around it). Choose a folder beside it. "
                "Nothing was changed."
            )
        if place == MEDIA:
            _stay(db, desk, session)
        if place == COPY and root is not None:
            db.execute(update(Run).where(Run.session_id == session_id, Run.copied == "").values(copied=EARLIER))
        setattr(session, column, "" if root is None else str(root))
        words = f"{name.capitalize()}: {root or ('the usual one' if place == MEDIA else 'none')}"
        enter(db, session, words, "fixed", {}, {})
        same = root is not None and place != MEDIA and _same_disk(root, root_of(desk, session))
    return f"{words}.{' It lies on the same disk, so it does not help where that fails.' if same else ''}"


def measure(desk: Desk, session_id: int, place: str) -> str:
    """How fast a place is, in words: how many tracks it takes. Raises Refusal."""
    if place not in PLACES:
        raise Refusal("There is no such place.")
    desk.forbid_while_capturing(session_id, "the test of speed")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        chosen = getattr(session, PLACES[place][0]) or (str(desk.media) if place == MEDIA else "")
        needs = session.rate_hz * session.bits // 8 / 1e6
    if not chosen:
        raise NotNow("No folder was chosen for that yet.")
    try:
        found = speed.measure(Path(chosen))
    except OSError as why:
        raise NotNow(f"{chosen} cannot be written ({why.strerror or why}). Choose another.") from why
    tracks = int(found.mb_per_s / 2 / needs)
    return (
        f"{found.mb_per_s:.0f} MB a second, its slowest step took {1000 * found.slowest_s:.0f} ms: enough for "
        f"{tracks:,} channels with as much again to spare."
    )


def _checked(typed: str) -> Path:
    """Raises Refusal for what is no folder that can be written."""
    root = Path(typed)
    if not root.is_absolute() or len(typed) > 1000 or "\0" in typed:
        raise Refusal("Type the whole path of a folder, from / on. Nothing was changed.")
    root = Path(os.path.normpath(root))
    if not root.is_dir():
        raise Refusal(f"There is no folder {root}. Make it first, or is its disk away? Nothing was changed.")
    try:
        probe = root / speed.NAME
        probe.write_bytes(b"")
        probe.unlink()
        if not mark.read_mark(root):
            mark.put(root)
    except OSError as why:
        raise Refusal(f"{root} cannot be written ({why.strerror or why}). Nothing was changed.") from why
    return root


def _stay(db: orm.Session, desk: Desk, session: Session) -> None:
    """What was captured is named by its whole path from now on, for the folder changes."""
    inside = Media.session_id == session.id, ~Media.path.startswith("/")
    db.execute(update(Media).where(*inside).values(path=f"{folder_of(desk, session)}/" + Media.path))


def _nested(one: Path, other: Path) -> bool:
    return one.is_relative_to(other) or other.is_relative_to(one)


def _same_disk(one: Path, other: Path) -> bool:
    with suppress(OSError):
        return one.stat().st_dev == other.stat().st_dev
    return False

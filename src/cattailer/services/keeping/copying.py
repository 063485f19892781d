"""Second copies: what sessions capture is copied to another folder while it comes, by a thread of its own that only
reads what was written. What is wrong with the copy is said, and is no matter to the capture."""

import os
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

from sqlalchemy import Select, select

from cattailer.core.errors import NotFound
from cattailer.media import copying, journal
from cattailer.media.mark import read_mark
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.places import folder_of
from cattailer.services.keeping.verifying import YES, what_is_wrong
from cattailer.services.session.editing import count_on
from cattailer.services.session.reading import get_session
from cattailer.store.models import Run, Session

SETTLED_S = 5.0
"""So long after a run its folder may still get what lay after it."""


@dataclass
class LiveCopies:
    """Folders of runs that need no look any more, and what is wrong at the moment."""

    of: str = ""
    settled: set[str] = field(default_factory=set)
    trouble: str = ""


def trouble(desk: Desk, session_id: int) -> str:
    """What is wrong with the second copy of a session, in words; empty where nothing is."""
    live = desk.live.find(session_id, LiveCopies)
    return live.trouble if live else ""


def copy_once(desk: Desk) -> bool:
    """Brings every second copy as far as its session is; whether any session wants one. Raises OperationalError."""
    with desk.database.transaction() as db:
        wanted = [
            (s.id, [folder_of(desk, s), *([Path(s.fallback_root) / s.folder] if s.fallback_root else [])],
             Path(s.copy_root), s.folder)
            for s in db.scalars(select(Session).where(Session.copy_root != ""))
        ]
    for session_id, folders, root, name in wanted:
        _copy_session(desk, session_id, folders, root, name)
    return bool(wanted)


def _copy_session(desk: Desk, session_id: int, folders: list[Path], root: Path, name: str) -> None:
    live = desk.live.of(session_id, LiveCopies)
    if live.of != str(root):
        live.of, live.trouble, live.settled = str(root), "", _known(desk, session_id)
    try:
        if not read_mark(root):
            raise FileNotFoundError(2, "the folder is not there")
        for run in (run for folder in folders for run in _runs(folder)):
            if run.name not in live.settled:
                _copy_run(desk, session_id, live, run, root / name / run.name)
        live.trouble = ""
    except OSError as why:
        said = why.strerror or str(why)
        live.trouble = f"The second copy in {root} cannot be written ({said}). The capture is not touched"


def _runs(folder: Path) -> list[Path]:
    try:
        with os.scandir(folder) as found:
            return sorted(Path(each.path) for each in found if each.name.startswith("run-"))
    except FileNotFoundError:
        return []  # nothing was captured yet


def _known(desk: Desk, session_id: int) -> set[str]:
    """Runs that were copied, or were there before a copy was wanted."""
    with desk.database.transaction() as db:
        numbers = db.scalars(select(Run.number).where(Run.session_id == session_id, Run.copied != ""))
        return {f"run-{number:03}" for number in numbers}


def _copy_run(desk: Desk, session_id: int, live: LiveCopies, run: Path, target: Path) -> None:
    """Raises OSError."""
    try:
        over = copying.is_over(run, SETTLED_S)
        copying.follow(run, target)
        if not over or not _is_entered(desk, session_id, run.name):
            return
        copying.finish(run, target)
    except FileNotFoundError:
        if run.is_dir():
            raise
        return  # it was called off
    _note(desk, session_id, run.name, "; ".join(_wrong(target)) or YES)
    live.settled.add(run.name)


def _wrong(target: Path) -> list[str]:
    """What the copy of a run does not hold as its journal says."""
    out = []
    for path in journal.find_all(target):
        story = journal.read(path)
        files = [(story.folder / end.path, end.samples or 0, end.crc32) for end in story.files if end.crc32]
        out += [f"the copy of {words}" for file in files if (words := what_is_wrong(*file))]
    return out


def _of(session_id: int, name: str) -> Select[Run]:
    number = name.removeprefix("run-")
    return select(Run).where(Run.session_id == session_id, Run.number == (int(number) if number.isdigit() else 0))


def _is_entered(desk: Desk, session_id: int, name: str) -> bool:
    with desk.database.transaction() as db:
        return db.scalar(_of(session_id, name)) is not None


def _note(desk: Desk, session_id: int, name: str, copied: str) -> None:
    with suppress(NotFound), desk.database.transaction() as db:
        session = get_session(db, session_id, lock=True)
        run = db.scalar(_of(session_id, name))
        if run is not None:
            run.copied = copied
            count_on(db, session)

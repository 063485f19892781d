"""How an edit is made: one transaction, a history entry, a new revision, and the engine told."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any, TypeVar

from sqlalchemy import orm, update

from cattailer.core.errors import NotFound, NotNow
from cattailer.services.desk.desk import Desk
from cattailer.services.session import preampmarks
from cattailer.services.session.pushing import push
from cattailer.services.session.reading import get_session
from cattailer.store.base import Base
from cattailer.store.database import tell_revision
from cattailer.store.images import Images, Recorder, changes_plan, concerns_engine, moves_comps, moves_takes
from cattailer.store.kept import History
from cattailer.store.models import Group, Input, Mix, Return, Route, Session, Track

Row = TypeVar("Row", bound=Base)


@dataclass
class Edit:
    """An edit in the making: rows are changed as they are; what changed is noted by itself.

    ``what`` says it in words for the history. ``state`` "fixed" makes an entry that Undo passes over.
    """

    db: orm.Session
    session: Session
    what: str = ""
    state: str = "done"

    def track(self, track_id: int) -> Track:
        return self._one(self.session.tracks, track_id, "track")

    def group(self, group_id: int) -> Group:
        return self._one(self.session.groups, group_id, "group")

    def returned(self, return_id: int) -> Return:
        return self._one(self.session.returns, return_id, "return")

    def mix(self, mix_id: int) -> Mix:
        return self._one(self.session.mixes, mix_id, "mix")

    def input(self, socket: int) -> Input:
        for row in self.session.inputs:
            if row.socket == socket:
                return row
        raise NotFound(f"Socket {socket} is not in this session.")

    def route(self, start: str, target: str, on: bool) -> None:
        """Makes or takes away a route; what is so already stays."""
        found = next((r for r in self.session.routes if (r.start, r.target) == (start, target)), None)
        if on and found is None:
            self.session.routes.append(Route(start=start, target=target))
        elif not on and found is not None:
            self.session.routes.remove(found)

    @staticmethod
    def expect(row: Base, name: str, was: Any, what: str) -> None:
        """Raises NotNow when a field is no longer what the page showed; ``was`` None asks nothing."""
        now = getattr(row, name)
        if was is not None and now != was:
            shown = f"{now:+g}" if isinstance(now, float) else f"“{now}”" if now else "empty"
            raise NotNow(
                f"{what} was changed on another page meanwhile; it is {shown} now. "
                "Yours was not taken over. Look at the row and type it again if you still want it."
            )

    @staticmethod
    def _one(rows: list[Row], wanted: int, kind: str) -> Row:
        for row in rows:
            if row.id == wanted:  # type: ignore[attr-defined]
                return row
        raise NotFound(f"This session has no {kind} with the number {wanted}. It may have been removed.")


@contextmanager
def editing(desk: Desk, session_id: int) -> Iterator[Edit]:
    """Everything inside is one edit. When nothing changed, nothing is entered."""
    with desk.database.transaction() as db:
        edit = Edit(db, get_session(db, session_id, lock=True))
        recorder = Recorder(db)
        yield edit
        db.flush()
        recorder.settle()
        if not recorder.after:
            return
        end_redo(db, session_id)
        enter(db, edit.session, edit.what, edit.state, recorder.before, recorder.after)
        preampmarks.note(desk, db, edit.session, recorder.before, recorder.after)
        note_what_sounds(edit.session, recorder.after)
    if concerns_engine(recorder.after):
        push(desk, session_id)


def end_redo(db: orm.Session, session_id: int) -> None:
    """What was undone cannot be done again: something new came."""
    undone = History.session_id == session_id, History.state == "undone"
    db.execute(update(History).where(*undone).values(state="past"))


def enter(
    db: orm.Session, session: Session, what: str, state: str, before: Images, after: Images, roll: str = ""
) -> None:
    """Enters the history under a new revision."""
    count_on(db, session, changes_plan(after))
    db.add(History(
        session_id=session.id, revision=session.revision, what=what, state=state, before=before, after=after, roll=roll
    ))


def note_what_sounds(session: Session, images: Images) -> None:
    """What sounds changed, where these images say so."""
    if moves_takes(images):
        takes_changed(session)
    elif moves_comps(images):
        session.takes_revision = session.revision


def takes_changed(session: Session) -> None:
    """Takes came, went or moved in this revision."""
    session.takes_revision = session.spans_revision = session.revision


def count_on(db: orm.Session, session: Session, plan: bool = True) -> None:
    """A new revision; everybody is told once it is committed. ``plan``: more of the plan may have changed than what
    sounds of takes."""
    session.revision += 1
    if plan:
        session.plan_revision = session.revision
    tell_revision(db, session.id, session.revision)

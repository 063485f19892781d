"""A capture as one step of the history: Undo takes it out of use, and gives back what was there."""

from collections.abc import Iterable, Iterator
from contextlib import contextmanager

from sqlalchemy import func, orm, select

from cattailer.services.session.editing import count_on, end_redo, enter, note_what_sounds, takes_changed
from cattailer.store.images import Images, Recorder, changes_plan, merged
from cattailer.store.kept import History
from cattailer.store.models import Run, Session, Take

REPLACED = "; what it replaced went to the bin"


@contextmanager
def captured(db: orm.Session, session: Session, run: Run, takes: Iterable[Take], what: str) -> Iterator[None]:
    """Everything inside belongs to the capture of these takes. Its passes are one step, as long as nobody edits
    between them; what was undone cannot be done again."""
    recorder = Recorder(db)
    yield
    recorder.end()
    before, after = recorder.before, recorder.after
    for take in takes:
        key = f"takes/{take.id}"
        before = merged(before, {key: {"binned": True, "binned_by": None}})
        after = merged(after, {key: {"binned": False, "binned_by": None}})
    end_redo(db, session.id)
    done = select(History).where(History.session_id == session.id, History.state == "done")
    latest = db.scalar(done.order_by(History.revision.desc()).limit(1))
    if latest is not None and latest.roll == run.roll:
        _add(latest, before, after)
        latest.what = _of_passes(db, run) or latest.what
        count_on(db, session, changes_plan(after))
    else:
        enter(db, session, what, "done", before, after, run.roll)
    takes_changed(session)


@contextmanager
def made_way(db: orm.Session, session: Session, run: Run) -> Iterator[None]:
    """What older takes gave way to a capture belongs to its step."""
    recorder = Recorder(db)
    yield
    recorder.end()
    of_roll = select(History).where(
        History.session_id == session.id, History.roll == run.roll, History.state == "done"
    )
    step = db.scalar(of_roll.order_by(History.revision.desc()).limit(1))
    count_on(db, session, changes_plan(recorder.after))
    note_what_sounds(session, recorder.after)
    if step is not None and recorder.after:
        _add(step, recorder.before, recorder.after)
        step.what = f"{step.what.removesuffix(REPLACED)}{REPLACED}"


def _add(step: History, before: Images, after: Images) -> None:
    # What was made in the step is not there before it, whatever became of it later in the step.
    step.before, step.after = merged(before, step.before), merged(step.after, after)


def _of_passes(db: orm.Session, run: Run) -> str:
    query = select(func.min(Run.number), func.max(Run.number)).where(
        Run.session_id == run.session_id, Run.roll == run.roll
    )
    first, last = db.execute(query).one()
    return f"Takes {first} to {last} captured" if first != last else ""

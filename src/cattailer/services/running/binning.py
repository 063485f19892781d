"""The bin: what was discarded or replaced. It comes back until somebody deletes it for good."""

from collections.abc import Collection
from contextlib import suppress
from dataclasses import dataclass

from sqlalchemy import Integer, cast, func, or_, orm, select, true

from cattailer.core.errors import NotFound, NotNow, Refusal, Sure
from cattailer.core.wording import counted
from cattailer.media import overview
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.places import folder_of
from cattailer.services.session.comping import uncaptured
from cattailer.services.session.editing import Edit, editing, enter
from cattailer.services.session.reading import get_session
from cattailer.services.sounding.takefiles import files_of
from cattailer.store.comps import Comp
from cattailer.store.models import Media, Run, Take, Track


def newest_run(edit: Edit) -> Run:
    """Raises NotNow where there is none with takes that are not in the bin."""
    query = select(Run).where(Run.session_id == edit.session.id, Run.takes.any(~Take.binned))
    run = edit.db.scalar(query.order_by(Run.number.desc()).limit(1))
    if run is None:
        raise NotNow("There is no take that could go to the bin.")
    return run


def discard(desk: Desk, session_id: int, number: int | None = None) -> str:
    """A run goes to the bin, the newest if none is named; what it replaced comes back. Returns words."""
    desk.forbid_while_capturing(session_id, "the bin")
    with editing(desk, session_id) as edit:
        run = newest_run(edit) if number is None else _run(edit, number)
        for take in run.takes:
            take.binned, take.binned_by = True, None
        for other in edit.db.scalars(select(Take).join(Track).where(
            Track.session_id == session_id, or_(Take.binned_by == run.id, Take.cuts != []),
        )):
            if other.binned_by == run.id:
                other.binned, other.binned_by = False, None
            kept = [cut for cut in other.cuts if cut[2] != run.id]
            if kept != other.cuts:
                other.cuts = kept
        uncaptured(edit.db, edit.session, run)
        edit.what = f"Take {run.number} put into the bin"
    return f"Take {run.number} is in the bin. Takes, Bin fetches it back; so does Undo."


def fetch_back(desk: Desk, session_id: int, number: int) -> None:
    """The takes of a run come out of the bin, and stretches of them that were replaced come back."""
    desk.forbid_while_capturing(session_id, "the bin")
    with editing(desk, session_id) as edit:
        run = _run(edit, number)
        for take in run.takes:
            take.binned, take.binned_by, take.cuts = False, None, []
        edit.what = f"Take {number} fetched back from the bin"


def _run(edit: Edit, number: int) -> Run:
    run = edit.db.scalar(select(Run).where(Run.session_id == edit.session.id, Run.number == number))
    if run is None:
        raise NotFound(f"There is no take {number} in this session.")
    if not run.takes:
        raise NotNow(f"Take {number} was deleted for good, so there is nothing of it left.")
    return run


@dataclass(frozen=True)
class Binned:
    """A run of which something is in the bin: of how many tracks, and of how many of them only a part; ``by`` is the
    take that replaced it, 0 where somebody discarded it. ``comps`` hold pieces of it, which are silent meanwhile."""

    number: int
    tracks: int
    parts: int
    bytes: int
    by: int
    comps: tuple[str, ...] = ()


def in_bin(db: orm.Session, session_id: int) -> list[Binned]:
    """The newest first."""
    query = select(Take).join(Track).where(Track.session_id == session_id, or_(Take.binned, Take.cuts != []))
    by_run: dict[int, list[Take]] = {}
    for take in db.scalars(query):
        by_run.setdefault(take.run_id, []).append(take)
    if not by_run:
        return []
    named = {*by_run, *(_by(t) for takes in by_run.values() for t in takes)}
    numbers = {i: n for i, n in db.execute(select(Run.id, Run.number).where(Run.id.in_(named)))}
    heard = heard_in(db, session_id)
    found = [
        Binned(
            numbers[run], len(takes), sum(not t.binned for t in takes),
            sum(bytes_of(t.media) for t in takes if t.binned),
            next((numbers.get(b, 0) for t in takes if (b := _by(t))), 0),
            tuple(sorted({words for t in takes for words in heard.get(t.id, ())})),
        )
        for run, takes in by_run.items()
    ]
    return sorted(found, key=lambda b: -b.number)


def heard_in(db: orm.Session, session_id: int) -> dict[int, list[str]]:
    """By take: the comps that hold a piece of it, in words."""
    piece = func.jsonb_array_elements(Comp.pieces).table_valued("value").render_derived()
    query = select(cast(piece.c.value.op("->>")("take"), Integer), Comp.name, Track.name).select_from(Comp)
    query = query.join(piece, true()).join(Track, Track.id == Comp.track_id)
    query = query.where(Comp.session_id == session_id).distinct()
    out: dict[int, list[str]] = {}
    for take, comp, track in db.execute(query):
        out.setdefault(take, []).append(f"“{comp}” of {track}")
    return out


def _by(take: Take) -> int:
    return take.binned_by or (take.cuts[-1][2] if take.cuts else 0)


def bytes_of(media: Media) -> int:
    return media.samples * media.channels * ((media.bits + 7) // 8)


def delete(desk: Desk, session_id: int, numbers: Collection[int], knows: bool, sure: bool) -> str:
    """Deletes the files of runs in the bin for good, as far as they are in it whole, and forgets them. It must be said
    twice: raises Refusal unless somebody knows what it does, and Sure unless they are sure; NotNow where there is
    nothing to delete. Returns words."""
    desk.forbid_while_capturing(session_id, "deleting")
    if not numbers:
        raise Refusal("Tick what should go first; nothing was deleted.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id, lock=True)
        query = select(Take).join(Run).where(Run.session_id == session_id, Run.number.in_(numbers), Take.binned)
        takes = list(db.scalars(query))
        if not takes:
            raise NotNow("Nothing of that is in the bin any more; nothing was deleted.")
        if not knows:
            raise Refusal("Tick that you know what this does first; nothing was deleted.")
        size = sum(bytes_of(t.media) for t in takes) / 1e6
        if not sure:
            raise Sure(
                f"This deletes {counted(len(takes), 'file')} ({size:.0f} MB) for good. Nobody can fetch them back, and "
                "Undo cannot either.", "Delete for good",
            )
        folder, gone = folder_of(desk, session), []
        for take in takes:
            gone += [media for media, _ in files_of(take)]
            db.delete(take)
        db.flush()
        for media in gone:
            for made in db.scalars(select(Media).where(Media.original_id == media.id)):
                gone.append(made)
            db.delete(media)
        enter(db, session, f"Deleted for good: {counted(len(takes), 'file')}", "fixed", {}, {})
    for media in gone:
        with suppress(OSError):
            (folder / media.path).unlink(missing_ok=True)
            overview.remove(folder / media.path)
    return f"{counted(len(takes), 'file')} deleted for good; {size:.0f} MB are free again."

"""What people think of a take in a phrase: a rating and a note."""

from sqlalchemy import select

from cattailer.core.errors import Refusal
from cattailer.core.naming import clean_name
from cattailer.core.takes.marks import RATINGS
from cattailer.core.wording import counted
from cattailer.services.desk.desk import Desk
from cattailer.services.session import comping
from cattailer.services.session.editing import Edit, editing
from cattailer.services.session.reading import get_take
from cattailer.services.sounding.comps import pieces_in_use
from cattailer.services.stages.takes.phrasing import get_phrase
from cattailer.store.comps import CellMark
from cattailer.store.models import Run, Take


def rate(desk: Desk, session_id: int, take_id: int, phrase_id: int, rating: str) -> None:
    """The same rating again takes it away. Raises NotFound, Refusal."""
    if rating not in RATINGS:
        raise Refusal(f"A take is {', '.join(RATINGS)}; nothing was changed.")
    with editing(desk, session_id) as edit:
        mark, number = _mark(edit, session_id, take_id, phrase_id)
        mark.rating = "" if mark.rating == rating else rating
        edit.what = f"Take {number}, a phrase: {mark.rating or 'no rating'}"
        _tidy(edit, mark)


def note(desk: Desk, session_id: int, take_id: int, phrase_id: int, text: str, was: str | None = None) -> None:
    """Raises NotFound, Refusal for one that is too long, NotNow where somebody changed it meanwhile."""
    said = clean_name(text, "note") if text.strip() else ""
    with editing(desk, session_id) as edit:
        mark, number = _mark(edit, session_id, take_id, phrase_id)
        edit.expect(mark, "note", was, "This note")
        mark.note = said
        edit.what = f"Take {number}, a phrase: {mark.note or 'no note'}"
        _tidy(edit, mark)


def fold(desk: Desk, session_id: int, run_id: int, folded: bool) -> None:
    """A run is folded away on the sheet, or shown again. Raises Refusal."""
    with editing(desk, session_id) as edit:
        run = edit.db.get(Run, run_id)
        if run is None or run.session_id != session_id:
            raise Refusal("There is no such take; nothing was changed.", 404)
        run.folded = folded
        edit.what = f"Take {run.number} {'folded away' if folded else 'unfolded'}"


def fold_unused(desk: Desk, session_id: int, track_id: int) -> None:
    """Runs of which nothing is in use on a track, nor on those that are cut together with it, are folded away."""
    with editing(desk, session_id) as edit:
        tracks = comping.tracks_with(edit.session, edit.track(track_id))
        used = {p.take for t in tracks for p in pieces_in_use(edit.session, t.id)}
        query = select(Run).join(Take).where(Take.track_id == track_id, ~Take.binned, ~Run.folded).distinct()
        folded = [run for run in edit.db.scalars(query) if not used & {t.id for t in run.takes}]
        for run in folded:
            run.folded = True
        edit.what = f"{counted(len(folded), 'take')} folded away"


def _mark(edit: Edit, session_id: int, take_id: int, phrase_id: int) -> tuple[CellMark, int]:
    """The mark, made where there is none, and the number of its take."""
    take, phrase = get_take(edit.db, session_id, take_id), get_phrase(edit.db, session_id, phrase_id)
    mark = edit.db.scalar(select(CellMark).where(CellMark.take_id == take.id, CellMark.phrase == phrase.id))
    if mark is None:
        mark = CellMark(session_id=session_id, take_id=take.id, phrase=phrase.id, rating="", note="")
        edit.db.add(mark)
    return mark, take.number


def _tidy(edit: Edit, mark: CellMark) -> None:
    """One that says nothing is not kept."""
    edit.db.flush()
    if not mark.rating and not mark.note:
        edit.db.delete(mark)

"""Choosing which take is heard in a phrase, and the comps that come of it."""

from dataclasses import replace

from sqlalchemy import select

from cattailer.core.comps.comppiece import CompPiece
from cattailer.core.comps.laying import free_layer, lay, without
from cattailer.core.comps.phrases import Stretch
from cattailer.core.errors import NotNow, Refusal
from cattailer.core.gear.rates import rescaled
from cattailer.core.naming import clean_name
from cattailer.services.desk.desk import Desk
from cattailer.services.session import comping, trying
from cattailer.services.session.editing import Edit, editing
from cattailer.services.session.reading import get_take
from cattailer.services.sounding.comps import pieces_in_use
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.services.stages.takes.phrasing import get_phrase, stretch_of
from cattailer.store.comps import Comp
from cattailer.store.models import Take, Track


def choose(desk: Desk, session_id: int, take_id: int, phrase_id: int = 0, layered: bool = False) -> None:
    """A take is heard in a phrase, or wherever it lies where none is given; in place of all that is heard there, or
    with ``layered`` together with it. On all tracks that are cut together with its own and have a take of the same run.
    Raises NotFound; NotNow where the take has no sound there."""
    with editing(desk, session_id) as edit:
        tried = bool(edit.session.hearing)
        take = get_take(edit.db, session_id, take_id)
        phrase = get_phrase(edit.db, session_id, phrase_id) if phrase_id else None
        stretch = stretch_of(phrase, edit.session) if phrase else None
        wanted = _of_one_run(edit, take)
        take_sounds(desk, edit.session, [other.id for other in wanted])  # all in one look
        laid = [other for other in wanted if _lay(desk, edit, other, stretch, layered)]
        if take not in laid:
            raise NotNow(f"Take {take.number} has no sound there. Choose another; nothing was changed.")
        where = f"in {_named(phrase.name) if phrase and phrase.name else 'a phrase'}" if phrase else "everywhere"
        together = " with what was heard" if layered else ""
        edit.what = f"Take {take.number} of {take.track.name} is heard {where}{together}"
    if tried:
        trying.end(desk, session_id)


def _named(name: str) -> str:
    return f"“{name}”"


def _of_one_run(edit: Edit, take: Take) -> list[Take]:
    """The take, and those of the same run on tracks that are cut together with its own."""
    tracks = {t.id for t in comping.tracks_with(edit.session, take.track)}
    query = select(Take).where(Take.run_id == take.run_id, Take.track_id.in_(tracks), ~Take.binned)
    return [take, *(t for t in edit.db.scalars(query) if t is not take)]


def _lay(desk: Desk, edit: Edit, take: Take, stretch: Stretch | None, layered: bool) -> bool:
    """Whether it has any sound there. Elsewhere everything stays as it was."""
    session = edit.session
    sound = take_sounds(desk, session, [take.id]).get(take.id)
    if sound is None:
        return False
    begins = rescaled(take.start, take.media.rate_hz, session.rate_hz)
    whole = begins, begins + sound.own.stop
    # What was counted in belongs to the take; what the next pass goes on with does not, but a seam may reach into it.
    first = begins + sound.reach[0] if take.lead_in_id is not None else begins
    start, stop = whole if stretch is None else (max(stretch[0], first), min(stretch[1], whole[1]))
    if start >= stop:
        return False
    comp = comping.in_use(edit.db, session, take.track)
    pieces, piece = comping.pieces_at(comp, session), CompPiece(take.id, start, stop - start, start - begins)
    if layered:
        pieces = lay(pieces, replace(piece, layer=free_layer(pieces, start, stop)))
    else:
        pieces = lay(without(pieces, start, stop), piece)
    comping.write(comp, session, pieces)
    return True


def make(desk: Desk, session_id: int, track_id: int, name: str = "") -> None:
    """A comp of what is heard now, under a name of its own, in use from then on; on all tracks cut together."""
    with editing(desk, session_id) as edit:
        for track in comping.tracks_with(edit.session, edit.track(track_id)):
            wanted = _checked(name) if name.strip() else comping.FIRST_NAME
            free = comping.free_name(edit.db, track, wanted)
            comp = comping.make(edit.db, edit.session, track, free, pieces_in_use(edit.session, track.id))
            comping.use(track, comp.id)
        edit.what = f"Comp “{free}” made"


def use(desk: Desk, session_id: int, track_id: int, comp_id: int = 0) -> None:
    """A comp, or with 0 the newest on top; on tracks that are cut together the comp of the same name, where they have
    one. Raises NotFound."""
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        comp = _own(edit, track, comp_id) if comp_id else None
        for other in comping.tracks_with(edit.session, track):
            comping.use(other, _alike(edit, other, comp.name) if comp else None)
        edit.what = f"{track.name} is heard as {_named(comp.name)}" if comp else f"{track.name}: the newest on top"


def compare(desk: Desk, session_id: int, track_id: int) -> None:
    """What was in use before, on the track and those that are cut together with it; once more goes back."""
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        for other in comping.tracks_with(edit.session, track):
            before = other.comp_before
            if before is not None and edit.db.get(Comp, before) is None:
                before = None
            other.comp_before, other.comp_id = other.comp_id, before
        comp = edit.db.get(Comp, track.comp_id) if track.comp_id is not None else None
        edit.what = f"{track.name} is heard as {_named(comp.name)}" if comp else f"{track.name}: the newest on top"


def rename(desk: Desk, session_id: int, comp_id: int, name: str, was: str | None = None) -> None:
    """On all tracks cut together that have one of that name. Raises NotFound, Refusal for a name that is taken."""
    with editing(desk, session_id) as edit:
        comp = comping.get_comp(edit.db, session_id, comp_id)
        edit.expect(comp, "name", was, "This comp")
        wanted, old = _checked(name), comp.name
        for track in comping.tracks_with(edit.session, edit.track(comp.track_id)):
            found = edit.db.scalar(select(Comp).where(Comp.track_id == track.id, Comp.name == old))
            if found is None or wanted == old:
                continue
            if edit.db.scalar(select(Comp.id).where(Comp.track_id == track.id, Comp.name == wanted)) is not None:
                raise Refusal(f"{track.name} has a comp called “{wanted}” already. Give this one another name.")
            found.name = wanted
        edit.what = f"Comp “{old}” is called “{wanted}”"


def remove(desk: Desk, session_id: int, comp_id: int) -> None:
    """Where it was in use, the newest lies on top again. Undo brings it back; takes are not touched."""
    with editing(desk, session_id) as edit:
        comp = comping.get_comp(edit.db, session_id, comp_id)
        name = comp.name
        for track in comping.tracks_with(edit.session, edit.track(comp.track_id)):
            found = edit.db.scalar(select(Comp).where(Comp.track_id == track.id, Comp.name == name))
            if found is None:
                continue
            if track.comp_id == found.id:
                track.comp_id = None
            if track.comp_before == found.id:
                track.comp_before = None
            edit.db.delete(found)
        edit.what = f"Comp “{name}” taken away"


def put_together(desk: Desk, session_id: int, track_id: int, other_id: int) -> None:
    """A track is chosen and cut together with another; with itself it stands alone. Raises NotFound."""
    with editing(desk, session_id) as edit:
        track, other = edit.track(track_id), edit.track(other_id)
        if track is other:
            following = [t for t in comping.tracks_with(edit.session, track)[1:] if t.together == track.id]
            track.together = track.id
            for rest in following:
                rest.together = following[0].id
            edit.what = f"{track.name} is cut on its own"
        else:
            track.together = other.id
            if other.together == track.id:
                other.together = other.id
            edit.what = f"{track.name} is cut together with {other.name}"


def _own(edit: Edit, track: Track, comp_id: int) -> Comp:
    comp = comping.get_comp(edit.db, edit.session.id, comp_id)
    if comp.track_id != track.id:
        raise Refusal("That comp belongs to another track; nothing was changed.")
    return comp


def _alike(edit: Edit, track: Track, name: str) -> int | None:
    """The comp of that name; what is in use where the track has none."""
    found = edit.db.scalar(select(Comp.id).where(Comp.track_id == track.id, Comp.name == name))
    return track.comp_id if found is None else found


def _checked(name: str) -> str:
    return clean_name(name, "comp's name")


"""The comps of tracks: which is in use, and how one comes to be."""

from collections.abc import Collection
from functools import reduce

from sqlalchemy import orm, select

from cattailer.core.comps.comppiece import CompPiece, Pieces, numbered, pieces_of
from cattailer.core.comps.laying import free_layer, lay
from cattailer.core.comps.together import together
from cattailer.core.errors import NotFound
from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.over import LAYER
from cattailer.services.sounding.comps import pieces_in_use
from cattailer.store.comps import Comp
from cattailer.store.models import Run, Session, Take, Track

FIRST_NAME = "comp 1"


def tracks_with(session: Session, track: Track) -> list[Track]:
    """Those that are chosen and cut together, the track first."""
    by_hand = {t.id: t.together for t in session.tracks}
    own = [set(m.own) for m in session.mixes if m.own]
    wanted = together(track.id, by_hand, own)
    return [track, *(t for t in session.tracks if t.id in wanted and t is not track)]


def get_comp(db: orm.Session, session_id: int, comp_id: int) -> Comp:
    """Raises NotFound, for a comp of another session too."""
    comp = db.get(Comp, comp_id)
    if comp is None or comp.session_id != session_id:
        raise NotFound("That comp is not here any more. Look at the list again; nothing was changed.")
    return comp


def pieces_at(comp: Comp, session: Session) -> Pieces:
    """At the session's rate."""
    return pieces_of(comp.pieces, comp.rate_hz, session.rate_hz)


def write(comp: Comp, session: Session, pieces: Pieces) -> None:
    comp.pieces, comp.rate_hz = [p.to_dict() for p in numbered(pieces)], session.rate_hz


def in_use(db: orm.Session, session: Session, track: Track) -> Comp:
    """The comp of a track that is in use; made of what is heard where none is."""
    comp = db.get(Comp, track.comp_id) if track.comp_id is not None else None
    if comp is None:
        comp = make(db, session, track, free_name(db, track, FIRST_NAME), pieces_in_use(session, track.id))
        use(track, comp.id)
    return comp


def make(
    db: orm.Session, session: Session, track: Track, name: str, pieces: Pieces, roll: str = "", over: int | None = None
) -> Comp:
    comp = Comp(
        session_id=session.id, track_id=track.id, name=name, rate_hz=session.rate_hz,
        pieces=[p.to_dict() for p in numbered(pieces)], roll=roll, over_id=over,
    )
    db.add(comp)
    db.flush()
    return comp


def use(track: Track, comp_id: int | None) -> None:
    """A comp, or None for the newest on top; the one before is a key away."""
    if track.comp_id != comp_id:
        track.comp_before, track.comp_id = track.comp_id, comp_id


def free_name(db: orm.Session, track: Track, wanted: str) -> str:
    """That name, or with the next number that no comp of the track has."""
    taken = set(db.scalars(select(Comp.name).where(Comp.track_id == track.id)))
    if wanted not in taken:
        return wanted
    head, _, number = wanted.rpartition(" ")
    stem, n = (head, int(number)) if head and number.isdecimal() else (wanted, 1)
    while f"{stem} {n}" in taken:
        n += 1
    return f"{stem} {n}"


def captured_over(db: orm.Session, session: Session, run: Run, on: Collection[int] | None = None) -> None:
    """What was captured over a comp, or on those of some tracks, makes a new one, in use; the passes of one press go
    into the same."""
    tracks = {t.id: t for t in session.tracks if t.comp_id is not None and (on is None or t.id in on)}
    for take in run.takes:
        track = tracks.get(take.track_id)
        comp = db.get(Comp, track.comp_id) if track is not None else None
        if track is None or comp is None:
            continue
        pieces = _laid(pieces_at(comp, session), take, session)
        if comp.roll and comp.roll == run.roll:
            write(comp, session, pieces)
        else:
            name = free_name(db, track, f"{comp.name.partition(' + ')[0]} + take {run.number}")
            use(track, make(db, session, track, name, pieces, run.roll, comp.id).id)


def uncaptured(db: orm.Session, session: Session, run: Run) -> None:
    """What a run that goes to the bin was laid over is heard again, where nobody edited the comp since."""
    for take in run.takes:
        track = next((t for t in session.tracks if t.id == take.track_id and t.comp_id is not None), None)
        comp = db.get(Comp, track.comp_id) if track is not None else None
        base = db.get(Comp, comp.over_id) if comp is not None and comp.over_id is not None else None
        if track is None or comp is None or base is None or comp.roll != run.roll:
            continue
        query = select(Take).join(Run).where(Take.track_id == track.id, Run.roll == run.roll, ~Take.binned)
        left = [t for t in db.scalars(query.order_by(Run.number)) if t.run_id != run.id]
        over = pieces_at(base, session)
        every = sorted([*left, take], key=lambda t: t.run.number)
        if pieces_at(comp, session) != reduce(lambda pieces, t: _laid(pieces, t, session), every, over):
            continue
        if left:
            write(comp, session, reduce(lambda pieces, t: _laid(pieces, t, session), left, over))
        else:
            track.comp_id = base.id
            track.comp_before = None if track.comp_before in (comp.id, base.id) else track.comp_before
            db.delete(comp)


def _laid(pieces: Pieces, take: Take, session: Session) -> Pieces:
    """A take over what is there, or together with it, as its run says."""
    rate = take.media.rate_hz
    start, samples = rescaled(take.start, rate, session.rate_hz), rescaled(take.samples, rate, session.rate_hz)
    layer = free_layer(pieces, start, start + samples) if take.run.over == LAYER else 0
    return lay(pieces, CompPiece(take.id, start, samples, 0, layer=layer))


def names_of(db: orm.Session, track: Track) -> list[tuple[int, str]]:
    """Number and name of the comps of a track, the newest first."""
    query = select(Comp.id, Comp.name).where(Comp.track_id == track.id).order_by(Comp.id.desc())
    return [(comp, name) for comp, name in db.execute(query)]


def numbers_of(session: Session, takes: Collection[int]) -> dict[int, int]:
    """The numbers of takes, by their ids."""
    db = orm.object_session(session)
    assert db is not None
    return {take: number for take, number in db.execute(select(Take.id, Take.number).where(Take.id.in_(takes)))}

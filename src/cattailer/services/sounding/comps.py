"""What sounds of the comps in use, kept until they change."""

from dataclasses import dataclass, field

from sqlalchemy import Text, cast, func, orm, select

from cattailer.core.comps.comppiece import CompPiece, Pieces, pieces_of
from cattailer.core.comps.laying import lay, without
from cattailer.core.comps.sounding import sound_of
from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.pieces import Piece
from cattailer.services.desk.desk import Desk
from cattailer.services.sounding.meetings import meets_of
from cattailer.services.sounding.ontop import on_top
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.store.comps import Comp
from cattailer.store.models import Session, Track


@dataclass
class LiveComps:
    """By comp: what its rows were when this was worked out, and what sounds of it."""

    kept: dict[int, tuple[object, list[Piece]]] = field(default_factory=dict)


def tried(desk: Desk, session: Session) -> dict[int, list[Piece]]:
    """By track: what sounds where a take is tried in the mix, in its stretch in place of what is in use."""
    out, meets = {}, meets_of(desk, session)
    for key, each in session.hearing.items():
        track, rates = int(key), (each["rate_hz"], session.rate_hz)
        start, stop, begins = (rescaled(each[name], *rates) for name in ("start", "stop", "begins"))
        laid = CompPiece(each["take"], start, stop - start, start - begins)
        pieces = lay(without(pieces_in_use(session, track), start, stop), laid)
        takes = take_sounds(desk, session, {p.take for p in pieces})
        if each["take"] in takes:
            out[track] = sound_of(track, pieces, takes, session.rate_hz, meets)
    return out


def pieces_in_use(session: Session, track: int) -> Pieces:
    """The pieces that are heard of a track, of the comp in use or where nobody chose."""
    db = orm.object_session(session)
    assert db is not None
    comp = db.scalar(select(Comp).join(Track, Track.comp_id == Comp.id).where(Track.id == track))
    if comp is not None:
        return pieces_of(comp.pieces, comp.rate_hz, session.rate_hz)
    return on_top(session, track).get(track, ())


def comps_in_use(desk: Desk, session: Session) -> dict[int, list[Piece]]:
    """By track: what sounds of the comp that is in use there. Only those that changed are read."""
    used = {t.comp_id: t.id for t in session.tracks if t.comp_id is not None}
    if not used:
        return {}
    db = orm.object_session(session)
    assert db is not None
    query = select(Comp.id, func.md5(cast(Comp.pieces, Text)), Comp.rate_hz).where(
        Comp.id.in_(used), Comp.session_id == session.id
    )
    live = desk.live.of(session.id, LiveComps)
    now = {
        comp: (digest, rate, session.rate_hz, session.spans_revision) for comp, digest, rate in db.execute(query)
    }
    changed = [comp for comp, of in now.items() if comp not in live.kept or live.kept[comp][0] != of]
    kept = {comp: found for comp, found in live.kept.items() if comp in now}
    if changed:
        read = {
            comp: pieces_of(pieces, rate, session.rate_hz) for comp, pieces, rate in
            db.execute(select(Comp.id, Comp.pieces, Comp.rate_hz).where(Comp.id.in_(changed)))
        }
        takes = take_sounds(desk, session, {p.take for pieces in read.values() for p in pieces})
        meets = meets_of(desk, session)
        for comp, pieces in read.items():
            kept[comp] = now[comp], sound_of(used[comp], pieces, takes, session.rate_hz, meets)
    live.kept = kept
    return {used[comp]: pieces for comp, (_, pieces) in kept.items()}

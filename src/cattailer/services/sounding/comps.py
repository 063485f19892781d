"""What sounds of the comps in use, kept until they change."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from sqlalchemy import Text, cast, func, orm, select

from cattailer.core.comps.comppiece import CompPiece, pieces_of
from cattailer.core.comps.sounding import sound_of
from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.pieces import Piece, edge_samples, instead
from cattailer.services.desk.desk import Desk
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.store.comps import Comp
from cattailer.store.models import Session


@dataclass
class LiveComps:
    """By comp: what its rows were when this was worked out, and what sounds of it."""

    kept: dict[int, tuple[object, list[Piece]]] = field(default_factory=dict)


def tried(desk: Desk, session: Session, by_track: Mapping[int, list[Piece]]) -> dict[int, list[Piece]]:
    """By track: what sounds where a take is tried in the mix, in its stretch in place of what is in use."""
    if not session.hearing:
        return {}
    sounds = take_sounds(desk, session, [each["take"] for each in session.hearing.values()])
    out = {}
    for key, each in session.hearing.items():
        track, take = int(key), each["take"]
        rates = each["rate_hz"], session.rate_hz
        stretch = rescaled(each["start"], *rates), rescaled(each["stop"], *rates)
        sound = sounds.get(take)
        if sound is not None:
            begins = rescaled(each["begins"], *rates)
            laid = CompPiece(take, stretch[0], stretch[1] - stretch[0], stretch[0] - begins)
            made = sound_of(track, (laid,), sounds, session.rate_hz)
            out[track] = instead(by_track.get(track, []), made, stretch, edge_samples(session.rate_hz))
    return out


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
        for comp, pieces in read.items():
            kept[comp] = now[comp], sound_of(used[comp], pieces, takes, session.rate_hz)
    live.kept = kept
    return {used[comp]: pieces for comp, (_, pieces) in kept.items()}

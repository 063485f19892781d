"""Takes that were captured before the round trip was known lie late or early: they are moved by what it was wrong."""

from dataclasses import dataclass

from sqlalchemy import func, orm, select

from cattailer.core.comps.comppiece import pieces_of
from cattailer.core.errors import NotNow
from cattailer.core.gear.rates import rescaled
from cattailer.core.units import milliseconds
from cattailer.core.wording import counted
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import editing
from cattailer.services.session.reading import get_session
from cattailer.store.comps import Comp
from cattailer.store.measured import RoundTrip
from cattailer.store.models import Run, Session, Take


@dataclass(frozen=True)
class Misplaced:
    """Takes that lie ``late_ms`` too late (early where that is negative), and of how many runs they are."""

    takes: int
    runs: int
    late_ms: float


def misplaced(desk: Desk, session_id: int) -> Misplaced:
    """What could be moved. Raises NotFound."""
    with desk.database.transaction() as db:
        off = _late_samples(db, get_session(db, session_id))
        count = select(func.count()).select_from(Take).where(Take.run_id.in_(off), Take.moved_samples == 0)
        takes = (db.scalar(count) or 0) if off else 0
    worst = max(off.values(), key=lambda each: abs(each[0]), default=(0, 1))
    return Misplaced(takes, len(off), milliseconds(*worst))


def mend(desk: Desk, session_id: int) -> str:
    """Moves every take that lies wrong by what its round trip was wrong; what comps use of it moves with it, within its
    piece. Undo takes it back. Raises NotNow where nothing is to be moved. Returns words."""
    desk.forbid_while_capturing(session_id, "moving takes")
    with editing(desk, session_id) as edit:
        off = _late_samples(edit.db, edit.session)
        moved: dict[int, tuple[int, int]] = {}
        for take in edit.db.scalars(select(Take).where(Take.run_id.in_(off), Take.moved_samples == 0)):
            late, rate = off[take.run_id]
            take.start, take.moved_samples = take.start - late, -late
            moved[take.id] = late, rate
        if not moved:
            raise NotNow("No take lies wrong, as far as the round trips are known that were measured.")
        for comp in edit.db.scalars(select(Comp).where(Comp.session_id == session_id)):
            _follow(comp, moved)
        edit.what = f"{counted(len(moved), 'take')} moved by what the round trip was wrong"
    return f"{edit.what}; each is marked, and Undo takes it back."


def _follow(comp: Comp, moved: dict[int, tuple[int, int]]) -> None:
    """Pieces stay where they are and hold what now lies there."""
    pieces, changed = [], False
    for piece in pieces_of(comp.pieces):
        late, rate = moved.get(piece.take, (0, 1))
        by = rescaled(late, rate, comp.rate_hz)
        changed = changed or bool(by)
        pieces.append({**piece.to_dict(), "offset": piece.offset + by})
    if changed:
        comp.pieces = pieces


def _late_samples(db: orm.Session, session: Session) -> dict[int, tuple[int, int]]:
    """By run: how many samples its takes lie too late, and the rate; only where a round trip was measured since that
    differs from the one that was believed."""
    query = select(RoundTrip).where(RoundTrip.interface == session.interface, RoundTrip.used).order_by(RoundTrip.id)
    known = {(r.rate_hz, r.period): round(r.measured_samples) for r in db.scalars(query)}
    out = {}
    runs = select(Run.id, Run.rate_hz, Run.period, Run.round_trip_samples).where(
        Run.session_id == session.id, Run.round_trip_samples > 0, Run.takes.any(Take.moved_samples == 0)
    )
    for run, rate, period, believed in db.execute(runs) if known else ():
        late = known.get((rate, period), believed) - believed
        if late:
            out[run] = late, rate
    return out

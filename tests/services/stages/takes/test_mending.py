"""Takes moved by what the round trip was wrong."""

import pytest

from cattailer.core.errors import NotNow
from cattailer.services.desk.desk import Desk
from cattailer.services.session import history
from cattailer.services.stages.takes import choosing, mending, show
from cattailer.store.measured import RoundTrip
from cattailer.store.models import Run, Session, Take
from tests.helpers.sessions import make_takes, plan_of, rows_of

pytestmark = pytest.mark.without_engine


def test_takes_from_before_the_round_trip_was_known_move_with_what_comps_use_of_them(desk: Desk) -> None:
    session = make_takes(desk)
    track = rows_of(desk, session)[0].id
    choosing.make(desk, session, track, "early")
    with pytest.raises(NotNow, match="No take lies wrong"):
        mending.mend(desk, session)
    with desk.database.transaction() as db:
        run, of = db.query(Run).one(), db.get_one(Session, session)
        believed = run.round_trip_samples
        db.add(RoundTrip(
            interface=of.interface, rate_hz=run.rate_hz, period=run.period, way="cable", measured_samples=believed + 61.2,
            spread_samples=0.0, confidence=1.0, inverted=False, claimed_samples=believed, used=True,
        ))
        starts = {t.id: t.start for t in run.takes}
    found = mending.misplaced(desk, session)
    assert (found.takes, found.runs) == (2, 1)
    assert found.late_ms == pytest.approx(61 / 48)
    before = next(p for p in plan_of(desk, session).pieces if p.track == track)
    assert "2 takes moved" in mending.mend(desk, session)
    with desk.database.transaction() as db:
        assert {t.id: t.start for t in db.query(Take)} == {take: at - 61 for take, at in starts.items()}
    after = next(p for p in plan_of(desk, session).pieces if p.track == track)
    assert after.start - after.offset == before.start - before.offset - 61
    assert mending.misplaced(desk, session).takes == 0
    assert show.show(desk, session).rows[0].takes[0].moved_ms == pytest.approx(-61 / 48)
    with pytest.raises(NotNow):
        mending.mend(desk, session)
    history.undo(desk, session)
    again = next(p for p in plan_of(desk, session).pieces if p.track == track)
    assert again == before

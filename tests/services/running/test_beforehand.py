"""What is said before a capture of preamps and thresholds, and what is kept of preamps and clips."""

from sqlalchemy import select

from cattailer.services.desk.desk import Desk
from cattailer.services.running import capturing, frame, ranges, transport
from cattailer.services.session import inputs
from cattailer.store.kept import Mark
from tests.helpers.capturing import armed, settled
from tests.helpers.sessions import rows_of


def said(desk: Desk, session: int) -> str:
    return "; ".join(f.text for f in frame.show(desk, session).deck.findings)


def marks_of(desk: Desk) -> list[tuple[str, str]]:
    with desk.database.transaction() as db:
        return [(m.kind, m.text) for m in db.scalars(select(Mark).order_by(Mark.id))]


def test_a_punch_is_told_of_gains_that_differ_from_what_lies_there(desk: Desk) -> None:
    session = armed(desk, limit_s=2)
    row = rows_of(desk, session)[0]
    inputs.set_gain(desk, session, row.socket, 30.0)
    transport.capture(desk, session)
    settled(desk)
    inputs.set_gain(desk, session, row.socket, 27.0)
    capturing.change(desk, session, "start", "range")
    ranges.set_range(desk, session, "0:01", "0:01.5")
    assert f"{row.name} is at" in said(desk, session)
    assert "take 1, which lies there" in said(desk, session)
    ranges.set_range(desk, session, "0:05", "0:06")
    assert "which lies there" not in said(desk, session)
    ranges.set_range(desk, session, "0:01", "0:02")
    inputs.set_gain(desk, session, row.socket, 30.0)
    assert "which lies there" not in said(desk, session)


def test_starts_and_ends_are_marked_where_the_session_wants_it(desk: Desk) -> None:
    session = armed(desk, limit_s=0.5, marks="on")
    transport.capture(desk, session)
    settled(desk)
    assert marks_of(desk) == [("start", "take 1 begins"), ("end", "take 1 ends")]

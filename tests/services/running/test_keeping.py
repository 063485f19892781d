"""What was just heard becomes takes."""

import pytest

from cattailer.core.errors import NotNow, Refusal
from cattailer.services.desk.desk import Desk
from cattailer.services.running import arming, frame, runs, transport
from cattailer.services.session import demo, opening, sessions
from tests.helpers.sessions import rows_of, takes_of
from tests.helpers.waiting import pass_time, wait_for


def entered(desk: Desk, session: int, number: int) -> None:
    def there() -> bool:
        runs.enter_finished(desk)
        return any(r.number == number for r in frame.show(desk, session).deck.runs)

    wait_for(there)


def test_all_that_is_fed_is_kept_or_what_is_armed(desk: Desk) -> None:
    session = demo.load(desk)
    with pytest.raises(NotNow, match="not open"):
        transport.keep_heard(desk, session)
    opening.open_session(desk, session)
    pass_time(desk.engine, 1.0)
    transport.keep_heard(desk, session)
    entered(desk, session, 1)
    assert all(len(takes_of(desk, session, n)) == 1 for n in range(10))
    arming.arm_track(desk, session, rows_of(desk, session)[2].id, True)
    transport.roll(desk, session)
    pass_time(desk.engine, 1.0)
    transport.keep_heard(desk, session)
    assert desk.engine_state().state == "rolling", "nothing stops for it"
    transport.stop(desk, session)
    entered(desk, session, 2)
    assert [len(takes_of(desk, session, n)) for n in (0, 2)] == [1, 2]
    transport.capture(desk, session)
    with pytest.raises(Refusal, match="kept anyway"):
        transport.keep_heard(desk, session)
    transport.stop(desk, session)
    entered(desk, session, 3)


def test_a_session_in_which_nothing_is_fed_has_nothing_to_keep(desk: Desk) -> None:
    session = sessions.create_session(desk, "Empty", sessions.Hardware("marshgate-16"), "empty")
    opening.open_session(desk, session)
    with pytest.raises(NotNow, match="nothing to keep"):
        transport.keep_heard(desk, session)


def test_again_keeps_what_was_captured_and_begins_where_that_began(desk: Desk) -> None:
    session = demo.load(desk)
    opening.open_session(desk, session)
    arming.arm_track(desk, session, rows_of(desk, session)[2].id, True)
    transport.locate(desk, session, 48_000)
    transport.capture(desk, session)
    pass_time(desk.engine, 0.6)
    for _ in range(2):
        assert transport.again(desk, session).state == "capturing"
        pass_time(desk.engine, 0.4)
    transport.stop(desk, session)
    entered(desk, session, 3)
    takes = takes_of(desk, session, 2)
    assert [t.number for t in takes] == [3, 2, 1]
    assert {t.start for t in takes} == {"00:01.000"}
    assert transport.again(desk, session).state == "capturing", "while it stands still, as Capture"
    transport.stop(desk, session)
    entered(desk, session, 4)
    arming.arm_all(desk, session, False)
    with pytest.raises(NotNow, match="No track is armed"):
        transport.again(desk, session)

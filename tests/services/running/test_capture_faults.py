"""What people and machines do at a bad moment of a capture: nothing is lost, and everybody is told."""

import threading

import pytest

from cattailer.core.errors import Refusal
from cattailer.services.desk.desk import Desk
from cattailer.services.running import ranges, transport
from tests.helpers.capturing import all_runs, armed, settled
from tests.helpers.sessions import stop
from tests.helpers.waiting import pass_time


@pytest.mark.parametrize("begin", ["now", "sound"])
def test_two_presses_at_once_are_one_capture(desk: Desk, begin: str) -> None:
    session = armed(desk, begin=begin, threshold_dbfs=-70)
    refused: list[str] = []

    def press() -> None:
        try:
            transport.capture(desk, session)
        except Refusal as why:
            refused.append(why.message)

    pages = [threading.Thread(target=press) for _ in range(2)]
    for page in pages:
        page.start()
    for page in pages:
        page.join()
    if begin == "now":
        assert len(refused) == 1
        assert "already" in refused[0]
    pass_time(desk.engine, 0.5)
    stop(desk, session)
    settled(desk)
    assert len(all_runs(desk, session)) <= 1
    assert len(list(desk.media.rglob("*.wav"))) == 2 * len(all_runs(desk, session))


def test_a_range_shorter_than_a_pass_is_refused_before_anything_is_opened(desk: Desk) -> None:
    session = armed(desk)
    for start, stop_at in ((48_000, 48_001), (48_000, 48_000)):
        with pytest.raises(Refusal):
            ranges.set_samples(desk, session, start, stop_at)
    ranges.set_samples(desk, session, 48_000, 48_600)
    ranges.switch_loop(desk, session)
    with pytest.raises(Refusal, match="at least half a second"):
        transport.capture(desk, session)
    assert not list(desk.media.rglob("*.wav"))
    assert desk.engine_state().state == "stopped"

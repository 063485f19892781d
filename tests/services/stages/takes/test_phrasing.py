"""Phrases stay as they were typed: what is music on its beat, what is a time at its time."""

import pytest

from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo
from cattailer.services.session.rate import choose_rate
from cattailer.services.session.reading import get_session
from cattailer.services.stages.takes import phrasing, sheet
from cattailer.services.stages.timing import tempo
from tests.helpers.sessions import rows_of


@pytest.mark.without_engine
def test_a_time_on_a_beat_stays_a_time_and_a_beat_stays_a_beat(desk: Desk) -> None:
    session = demo.load(desk)

    def shown() -> list[tuple[str, str]]:
        heads = sheet.show(desk, session, rows_of(desk, session)[0].id).phrases
        return [(head.first, head.last) for head in heads]

    def found() -> tuple[list[int], list[tuple[float, float]]]:
        with desk.database.transaction() as db:
            rows = phrasing.phrases_of(db, get_session(db, session))
            return [p.id for p in rows], [(p.start / p.rate_hz, p.stop / p.rate_hz) for p in rows]

    tempo.set_tempo(desk, session, 1, 120.0)
    phrasing.draw(desk, session, "2.2", "0:08", "to a time")
    phrasing.draw(desk, session, "0:08", "0:10.5", "times, each on a beat")
    typed = [("2.2", "00:08"), ("00:08", "00:10.500")]
    assert (shown(), found()[1]) == (typed, [(2.0, 8.0), (8.0, 10.5)])
    tempo.set_tempo(desk, session, 1, 60.0)
    for rate in (44_100, 96_000, 88_200):
        choose_rate(desk, session, rate)
        assert (shown(), found()[1]) == (typed, [(4.0, 8.0), (8.0, 10.5)])
    left = found()[0][0]
    phrasing.set_ends(desk, session, left, shown()[0][0], "3")
    assert shown()[0] == ("2.2", "3"), "the end that was not typed is as it was"
    tempo.set_tempo(desk, session, 1, 120.0)
    assert found()[1] == [(2.0, 4.5), (4.5, 10.5)], "the neighbour still meets it, in bars"
    phrasing.join(desk, session, left)
    assert shown() == [("2.2", "00:10.500")]
    phrasing.split(desk, session, left)
    tempo.set_tempo(desk, session, 1, 60.0)
    assert found()[1][-1][1] == 10.5

"""Ticks and the grid, on a real take."""

import pytest

from cattailer.core.errors import NotNow
from cattailer.services.desk.desk import Desk
from cattailer.services.session import history
from cattailer.services.stages.takes import choosing, cutview, tightening
from cattailer.services.stages.timing import tempo
from tests.helpers.sessions import make_takes, rows_of

pytestmark = pytest.mark.without_engine


def test_notes_are_found_moved_by_hand_and_tightened_and_one_key_goes_back(desk: Desk) -> None:
    session = make_takes(desk, 4.0)
    drum = rows_of(desk, session)[5].id
    with pytest.raises(NotNow, match="Find notes"):
        tightening.tighten(desk, session, drum, 1, 1.0)
    said = tightening.find(desk, session, drum)
    page = cutview.show(desk, session, drum)
    count = len(page.ticks)
    assert count >= 3
    assert said == f"{count} notes found on Frame drum."
    tightening.set_tick(desk, session, drum, page.ticks[0], page.ticks[0] + 100)
    assert cutview.show(desk, session, drum).ticks[0] == page.ticks[0] + 100
    tightening.set_tick(desk, session, drum, page.ticks[1] + 5)
    assert len(cutview.show(desk, session, drum).ticks) == count - 1
    with pytest.raises(NotNow, match="somebody moved it"):
        tightening.set_tick(desk, session, drum, 50_000_000, 1)
    history.undo(desk, session)
    said = tightening.tighten(desk, session, drum, 4, 1.0)
    assert "notes" in said
    tight = cutview.show(desk, session, drum, 4)
    assert tight.comp.endswith("tight 100 %")
    assert tight.drift.scatter_ms == 0.0
    assert len(tight.pieces) > 1
    tempo.set_tempo(desk, session, 1, 140.0)
    assert cutview.show(desk, session, drum, 4).pieces == tight.pieces, "a change of tempo later moves nothing"
    choosing.compare(desk, session, drum)
    assert len(cutview.show(desk, session, drum).pieces) == 1

"""Takes compared in the background, and pieces brought to a level."""

import pytest

from cattailer.core.errors import Refusal
from cattailer.services.desk.desk import Desk
from cattailer.services.stages.takes import comparing, cutting, cutview
from tests.helpers.sessions import make_takes, rows_of
from tests.helpers.waiting import wait_for

pytestmark = pytest.mark.without_engine


def test_takes_are_compared_and_sorted_and_a_missing_one_says_so(desk: Desk) -> None:
    session = make_takes(desk, 3.0)
    drum = rows_of(desk, session)[5].id
    for other in (0, rows_of(desk, session)[0].id):
        comparing.begin(desk, session, drum, other, 4)
        wait_for(lambda: not comparing.state(desk, session).going)
        (row,) = comparing.state(desk, session, "timing").rows
        assert row.facts is not None
        assert row.facts.level.peak_dbfs > -60
        assert comparing.state(desk, session).rows is not comparing.state(desk, session).rows, "nobody sorts what is written to"
    with pytest.raises(Refusal, match="no such track"):
        comparing.begin(desk, session, 9999)
    assert comparing.show(desk, session).track in dict(comparing.show(desk, session).tracks)


def test_a_piece_is_brought_to_a_peak_and_told_what_its_noise_does(desk: Desk) -> None:
    session = make_takes(desk, 1.0)
    track = rows_of(desk, session)[0].id
    said = cutting.set_level(desk, session, track, 0, "peak", -6.0)
    assert "peak −6.0 dBFS" in said
    assert "noise" in said
    cutting.split(desk, session, track, 20_000)
    assert cutting.set_level(desk, session, track, 0, "loudness", -20.0, every=True).startswith("2 pieces")
    first, second = cutview.show(desk, session, track).pieces
    assert first.gain_db != second.gain_db or first.gain_db != 0.0
    with pytest.raises(Refusal, match="between"):
        cutting.set_level(desk, session, track, 0, "peak", 6.0)

"""Count-in from the services: what was counted in is entered with the take, let in, and taken back."""

import pytest

from cattailer.core.errors import NotFound, Refusal
from cattailer.media import wavfile
from cattailer.services.desk.desk import Desk
from cattailer.services.running import transport
from cattailer.services.session import history, opening
from cattailer.services.stages.takes import files, leadin
from cattailer.services.stages.timing import clicking
from tests.helpers.sessions import capture, counted, plan_of, stop, takes_of
from tests.helpers.waiting import wait_for


def test_what_was_counted_in_is_kept_and_can_be_let_in(desk: Desk) -> None:
    session = counted(desk, 2)
    bar3 = 6 * 48000 * 60 // 300
    opening.open_session(desk, session)
    transport.locate(desk, session, bar3)
    capture(desk, session)
    lines = [takes_of(desk, session, place)[0] for place in (0, 5)]
    assert [line.lead_in for line in lines] == ["hidden", "hidden"]
    assert lines[0].lead_in_s == pytest.approx(1.2, abs=0.003)
    pieces = plan_of(desk, session).pieces
    assert [(p.start, p.offset) for p in pieces] == [(bar3, 0)] * 2
    file = files.take_file(desk, session, lines[0].id).path
    assert wavfile.inspect(file).start == bar3
    before = wavfile.inspect(file.parent / "head" / file.name)
    assert before.start + before.frames == bar3

    leadin.open_lead_in(desk, session, lines[0].id, "beat")
    pieces = plan_of(desk, session).pieces
    assert [p.start for p in pieces] == [bar3 - 9600, bar3] * 2
    assert [p.samples for p in pieces][0::2] == [9600] * 2
    assert pieces[0].offset == before.frames - 9600
    assert "head" in pieces[0].path
    leadin.open_lead_in(desk, session, lines[0].id, "all")
    assert plan_of(desk, session).pieces[0].samples == before.frames
    assert takes_of(desk, session, 5)[0].lead_in == "all", "rows stay together"
    history.undo(desk, session)
    history.undo(desk, session)
    assert len(plan_of(desk, session).pieces) == 2
    with pytest.raises(NotFound):
        leadin.open_lead_in(desk, session, 999, "all")
    with pytest.raises(NotFound):
        leadin.open_lead_in(desk, session, lines[0].id, "twice")


def test_a_lead_in_before_zero_can_be_heard(desk: Desk) -> None:
    """What was counted in before bar 1 at 0 lies before 0; the timeline reaches there."""
    session = counted(desk)
    capture(desk, session)
    take = takes_of(desk, session, 0)[0].id
    leadin.open_lead_in(desk, session, take, "all")
    assert plan_of(desk, session).pieces[0].start < 0
    transport.move_bars(desk, session, -1)
    assert desk.engine_state().position == -3 * 9600
    transport.move_bars(desk, session, -1)
    assert desk.engine_state().position == plan_of(desk, session).pieces[0].start, "no further than there is sound"
    clicking.change(desk, session, {"count_bars": 0})
    with pytest.raises(Refusal, match="begins at 0"):
        transport.capture(desk, session)
    transport.roll(desk, session)
    wait_for(lambda: desk.engine_state().position > 0)
    stop(desk, session)
    with pytest.raises(Refusal, match="outside the timeline"):
        transport.locate(desk, session, -61 * 48000)

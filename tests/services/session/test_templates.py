"""Templates and copies."""

import pytest

from cattailer.core.errors import NotNow
from cattailer.services.desk.desk import Desk
from cattailer.services.running import arming, frame, transport
from cattailer.services.session import demo, sessions, templates
from cattailer.services.stages.patch import show
from tests.helpers.sessions import rows_of, stop
from tests.helpers.waiting import pass_time


def test_templates_and_copies_have_no_takes(desk: Desk) -> None:
    session = demo.load(desk)
    arming.arm_all(desk, session, True)
    transport.capture(desk, session)
    pass_time(desk.engine, 0.2)
    stop(desk, session)
    templates.save(desk, session, "Our barn")
    with pytest.raises(NotNow, match="already"):
        templates.save(desk, session, " Our  barn ")
    (mine,) = (card for card in templates.cards(desk) if card.own)
    assert (mine.name, mine.holds) == ("Our barn", "10 tracks, 2 groups, 3 cue mixes")
    for made in (sessions.create_session(desk, "A", template=mine.key), sessions.copy_session(desk, session, "B")):
        shown = frame.show(desk, made)
        assert (len(rows_of(desk, made)), shown.deck.armed, shown.deck.runs) == (10, 0, [])
        assert show.show(desk, made).looks == []
        assert flow_names(desk, made) == flow_names(desk, session)
    templates.choose_default(desk, mine.key)
    assert [c.key for c in templates.cards(desk) if c.default] == [mine.key]
    templates.remove(desk, mine.key)
    assert [c.key for c in templates.cards(desk) if c.default] == ["empty"]


def flow_names(desk: Desk, session: int) -> set[tuple[str, str]]:
    drawn = show.show(desk, session).flow
    return {(drawn.name(a), drawn.name(b)) for a, b in drawn.links}

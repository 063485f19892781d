"""Tracks, and what reaches the engine of them."""

from dataclasses import replace

import pytest

from cattailer.core.errors import NotNow
from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo, opening, sessions, tracks
from cattailer.services.session.compiling import compile_plan
from cattailer.services.session.reading import get_session
from cattailer.services.stages.patch import routes, show
from tests.helpers.sessions import the_patch
from tests.helpers.waiting import wait_for


@pytest.mark.without_engine
def test_layers_share_the_feed_and_are_spread(desk: Desk) -> None:
    session = sessions.create_session(desk, "Layers", template="shipped-spoken")
    first = the_patch(desk, session).tracks[0]
    tracks.duplicate(desk, session, first.id)
    made = the_patch(desk, session)
    assert [(t.name, t.feeds, t.pan) for t in made.tracks[:2]] == [("Host", ("in:1",), -0.5), ("Host 2", ("in:1",), 0.5)]
    assert {b for a, b in made.routes if a == made.tracks[1].key} == {b for a, b in made.routes if a == first.key}
    assert show.show(desk, session).looks == [], "a layer is meant to share its socket"


@pytest.mark.without_engine
def test_a_session_of_many_tracks_is_refused_kindly(desk: Desk) -> None:
    session = sessions.create_session(desk, "Many")
    for _ in range(4):
        tracks.add_tracks(desk, session, tracks.Wanted(64))
    with pytest.raises(NotNow, match="256 tracks"):
        tracks.add_tracks(desk, session, tracks.Wanted(1))
    assert len(the_patch(desk, session).tracks) == 256


def test_edits_reach_the_engine(desk: Desk) -> None:
    session = demo.load(desk)
    opening.open_session(desk, session)
    group = the_patch(desk, session).groups[0].id
    (made,) = tracks.add_tracks(desk, session, tracks.Wanted(1, True, f"group:{group}:L"))
    routes.set_outputs(desk, session, the_patch(desk, session).mixes[3].id, 11)
    with desk.database.transaction() as db:
        plan = compile_plan(desk, get_session(db, session))
    assert plan.feeders == (group,)
    assert replace(plan.tracks[-1], inputs=()).name == "Strings"
    assert plan.tracks[-1].inputs == (22, 23)
    assert not [r for r in plan.routes if r[0] == f"track:{made}"], "a group's sum is not heard twice"
    wait_for(lambda: desk.engine_state().revision == plan.revision)

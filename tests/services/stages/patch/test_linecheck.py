"""The line check in a session."""

from sqlalchemy import select

from cattailer.core.patch.linecheck import Stop
from cattailer.services.desk import standin
from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo
from cattailer.services.stages.patch import linecheck, linecheckpage, show
from cattailer.services.stages.patch.linecheck import LiveWalk
from cattailer.store.kept import History
from tests.helpers.sessions import the_patch
from tests.helpers.waiting import wait_for


def feed_frames(desk: Desk, session: int, socket: int, level: float = -20.0) -> None:
    """As telemetry would: quiet, then sound at one socket."""
    for n in range(12):
        peaks = [-80.0] * 22
        if n > 5:
            peaks[socket - 1] = level
        linecheck.hear(desk, session, {"sockets": 16, "muted": False, "inputs": {"peak": peaks}})


def test_the_line_check_walks_swaps_and_remembers(desk: Desk) -> None:
    session = demo.load(desk)
    linecheck.begin(desk, session)
    wait_for(lambda: set(standin.room_of(desk).players.values()) == {"rest"})
    feed_frames(desk, session, 1)
    live = desk.live.find(session, LiveWalk)
    assert live.words() == "Ask for sound at: Dulcimer right, socket 2."
    feed_frames(desk, session, 9)
    assert live.words() == "Heard at 9: swapped with Room left?"
    linecheck.swap_in_list(desk, session)
    made = the_patch(desk, session)
    assert (made.input(9).label, made.input(2).label) == ("Dulcimer right", "Room left")
    assert [i.socket for i in made.inputs if i.checked] == [1, 9]
    assert next(t for t in made.tracks if t.name == "Dulcimer right").feeds == ("in:9",)
    assert live.walk.asked == Stop(10, "Room right"), "the walk goes on after the row at which it stands"
    rows = {r.socket: r.state for r in linecheckpage.check(desk, session, show.show(desk, session)).rows}
    assert (rows[1], rows[9]) == ("heard", "heard")
    linecheck.end(desk, session)
    linecheck.begin(desk, session)
    assert desk.live.find(session, LiveWalk).walk.done == {1, 9}, "ticks outlive the walk"
    while not desk.live.find(session, LiveWalk).walk.over:
        linecheck.step(desk, session, "tick")
    assert desk.live.find(session, LiveWalk).words() == "Every row was heard where it belongs."
    with desk.database.transaction() as db:
        assert {h.state for h in db.scalars(select(History).where(History.what.startswith("Line check")))} == {"fixed"}


def test_which_one_is_this_finds_the_loudest_new_row(desk: Desk) -> None:
    session = demo.load(desk)
    linecheck.which_is_this(desk, session)
    feed_frames(desk, session, 7)
    assert linecheck.look(desk, session).words == "Heard at socket 7: Harmonium"
    feed_frames(desk, session, 3)
    assert linecheck.look(desk, session).found == 7, "it listens once"

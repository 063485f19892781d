"""The live room as a session's list and mixes have it."""

import pytest

from cattailer.core.errors import NotNow
from cattailer.core.standin import Standing
from cattailer.services.desk import standin
from cattailer.services.desk.desk import Desk
from cattailer.services.running import room
from cattailer.services.session import opening, sessions
from cattailer.services.stages.levels import liveroom
from cattailer.services.stages.listen import columns
from cattailer.services.stages.timing import buffers
from tests.helpers.sessions import the_patch
from tests.helpers.waiting import wait_for


def test_a_template_is_plugged_in_and_everybody_wears_the_mix_that_is_theirs(desk: Desk) -> None:
    session = sessions.create_session(desk, "Ten", sessions.Hardware("marshgate-16"), "shipped-ensemble")
    opening.open_session(desk, session)
    liveroom.plug_in_list(desk, session)
    wait_for(lambda: len(standin.room_of(desk).standing) == 10 and standin.room_of(desk).plugged[7] == "Hand drum")
    standing = standin.room_of(desk).standing
    assert standing[7] == Standing("frame drum", "dynamic")
    assert standing[8] == Standing("narrator", "condenser")
    assert standing[4].pickup == "ribbon"
    patch = the_patch(desk, session)
    singer, band = (next(m for m in patch.mixes if m.name == name) for name in ("Cue singer", "Cue band"))
    columns.set_own(desk, session, singer.id, patch.tracks[7].id, True)
    liveroom.put_on(desk, session)
    wait_for(lambda: standin.room_of(desk).worn)
    worn = standin.room_of(desk).worn
    assert worn["narrator"] == singer.outputs[0]
    assert worn["frame drum"] == band.outputs[0]
    assert [o for o, _ in liveroom.show(desk, session).ears] == [3, 5]
    liveroom.take_off(desk, session)
    wait_for(lambda: not standin.room_of(desk).worn)


def test_what_is_plugged_in_outlives_buffer_restart_and_other_sessions(desk: Desk) -> None:
    session = sessions.create_session(desk, "Ten", sessions.Hardware("marshgate-16"), "shipped-ensemble")
    other = sessions.copy_session(desk, session, "Other")
    opening.open_session(desk, session)
    first = standin.room_of(desk).standing
    liveroom.plug_in_list(desk, session)
    room.swap_cables(desk, session, 1, 8)
    room.hum(desk, session, 3, -40.0)
    room.loop_back(desk, session, 1, 12, "cable")
    room.wear(desk, session, {"cello": 3})
    wait_for(lambda: standin.room_of(desk).worn == {"cello": 3})
    wanted = standin.room_of(desk)
    assert wanted.standing != first
    for again in (
        lambda: buffers.choose_buffer(desk, session, "tracking", 256),
        lambda: (opening.open_session(desk, other), opening.open_session(desk, session)),
    ):
        again()
        wait_for(lambda: standin.room_of(desk).worn)
        now = standin.room_of(desk)
        assert (now.standing, now.plugged, now.hums_dbu, now.loopbacks, now.worn) == (
            wanted.standing, wanted.plugged, wanted.hums_dbu, wanted.loopbacks, wanted.worn
        )
    opening.open_session(desk, other)
    assert standin.room_of(desk).standing == first, "the other session has a room of its own"
    with pytest.raises(NotNow, match="not open"):
        room.put_back(desk, session)
    opening.open_session(desk, session)
    room.put_back(desk, session)
    wait_for(lambda: standin.room_of(desk).standing == first)
    buffers.choose_buffer(desk, session, "tracking", 128)
    assert standin.room_of(desk).standing == first

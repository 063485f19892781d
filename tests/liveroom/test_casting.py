"""Any list can be plugged in and sounds; headphones leak; who does not hear themselves plays worse."""

import pytest

from cattailer.core.errors import Refusal
from cattailer.core.standin import Standing
from cattailer.liveroom import casting
from cattailer.liveroom.casting import Listed
from cattailer.liveroom.clock import VirtualClock
from cattailer.processes.interfaces import open_live_room
from cattailer.services.session import demo


def listed(*words: str, pickup: str = "dynamic") -> list[Listed]:
    return [Listed(n, w, pickup) for n, w in enumerate(words, 1)]


def test_somebody_else_can_stand_at_a_socket_or_nobody() -> None:
    room = open_live_room(demo.plan(True), VirtualClock())
    room.command("stand", {"socket": 12, "player": "harp", "pickup": "condenser"})
    room.command("stand", {"socket": 3, "player": "", "pickup": "dynamic"})
    room.command("stand", {"socket": 8, "player": "frame drum", "pickup": "DI"})
    for _ in range(3):
        room._asked.popleft()(0)
    state = room.room()
    assert state.standing[12] == Standing("harp", "condenser")
    assert 3 not in state.standing
    assert state.standing[8] == Standing("frame drum", "DI")
    assert state.standing[9].player == "room"
    assert state.plugged[8] == "frame drum, 8", "another one is at socket 6"
    for wrong in ({"socket": 1, "player": "piper", "pickup": "DI"}, {"socket": 1, "player": "harp", "pickup": "shell"},
                  {"socket": 99, "player": "harp", "pickup": "DI"}):
        with pytest.raises(Refusal):
            room.command("stand", wrong)
    for rows in (None, "no", [{"socket": 1}], [], [{"socket": 400, "words": "x", "pickup": "DI"}]):
        with pytest.raises(Refusal):
            room.command("plug", {"rows": rows})
    assert not room._asked, "what was refused changed nothing"


def test_two_plugs_are_never_called_the_same() -> None:
    made = casting.plugs(listed("Voice", "Voice", "", "", pickup="condenser"))
    assert len({p.name for p in made.values()}) == 4
    assert casting.plugs([Listed(1, "Loop", "software")]) == {}

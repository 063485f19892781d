"""Any list can be plugged in and sounds; headphones leak; who does not hear themselves plays worse."""

from dataclasses import replace

import numpy as np
import pytest

from cattailer.core.errors import Refusal
from cattailer.core.plan import MixPlan, Plan, TrackPlan
from cattailer.core.standin import Standing
from cattailer.engine.block.engine import Engine
from cattailer.engine.offline import run_inline
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


def _rolled(plan: Plan, seconds: float, *commands: tuple[str, dict[str, object]]) -> np.ndarray:
    room = open_live_room(plan, VirtualClock())
    for player in room.room().players:
        room.command("ask", {"player": player, "mode": "rest"})
    for name, arguments in commands:
        room.command(name, arguments)
    engine = Engine(room, plan)
    engine.soon(engine.roll)
    run_inline(engine, lambda: engine.sample < seconds * plan.rate_hz)
    sound = engine.ring.read(0, engine.sample)
    assert sound is not None
    return sound


def test_headphones_leak_the_click_into_the_microphone_near_them_and_nothing_without() -> None:
    narrator = TrackPlan(8, "Narrator", (7,), True)
    plan = replace(
        demo.plan(True), tracks=(narrator,), groups=(), click=True, routes=(("track:8", "mix:2"),),
        mixes=(MixPlan(1, "Main", (0, 1), 0.0), MixPlan(2, "Cue", (2, 3), 0.0)),
    )
    quiet = _rolled(plan, 2.0)
    leaking = _rolled(plan, 2.0, ("wear", {"worn": {"narrator": 3}}))
    late = plan.rate_hz // 100
    assert np.abs(leaking[7] - quiet[7]).max() > 10 ** (-66 / 20), "the click is in the narrator's microphone"
    first = int(np.flatnonzero(np.abs(leaking[7] - quiet[7]) > 2.0**-22)[0])
    trip = open_live_room(plan, VirtualClock()).round_trip_samples
    assert trip < first < trip + late, "one round trip and a little air later"
    assert np.array_equal(leaking[4], quiet[4]), "nobody at the bass clarinet hears it"
    off = _rolled(plan, 2.0, ("wear", {"worn": {"narrator": 3}}), ("wear", {"worn": {"narrator": 0}}))
    assert np.array_equal(off, quiet), "taken off again"
    for worn in ({"nobody": 3}, {"narrator": 12}, {"narrator": -1}, {"narrator": "3"}):
        with pytest.raises(Refusal):
            _rolled(plan, 0.0, ("wear", {"worn": worn}))


def test_two_plugs_are_never_called_the_same() -> None:
    made = casting.plugs(listed("Voice", "Voice", "", "", pickup="condenser"))
    assert len({p.name for p in made.values()}) == 4
    assert casting.plugs([Listed(1, "Loop", "software")]) == {}

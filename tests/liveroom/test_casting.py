"""Any list can be plugged in and sounds; headphones leak; who does not hear themselves plays worse."""

from dataclasses import replace

import numpy as np
import pytest

from cattailer.core.errors import Refusal
from cattailer.core.plan import MixPlan, Plan, TrackPlan
from cattailer.core.standin import HeardAt, Standing
from cattailer.core.time.timeline import TempoMap
from cattailer.engine.block.engine import Engine
from cattailer.engine.offline import run_inline
from cattailer.liveroom import casting, lateness, tune
from cattailer.liveroom.casting import Listed, cast
from cattailer.liveroom.clock import VirtualClock
from cattailer.liveroom.driver import LiveRoom
from cattailer.liveroom.players import Hearing, Player
from cattailer.processes.interfaces import open_live_room
from cattailer.services.session import demo, templates


def listed(*words: str, pickup: str = "dynamic") -> list[Listed]:
    return [Listed(n, w, pickup) for n, w in enumerate(words, 1)]


def test_a_list_is_cast_by_its_words_and_a_source_keeps_its_player() -> None:
    assert cast(listed("Hand drum", "Singer", "Squeezebox", "Room left", "Bass drum")) == {
        1: "frame drum", 2: "narrator", 3: "harmonium", 4: "room", 5: "frame drum"
    }
    strings = cast(listed("Fiddle left", "Fiddle right", "Viola", "Cello"))
    assert strings[1] == strings[2], "two microphones on one fiddle"
    assert strings[3] != strings[1], "another player where there is one"
    assert strings[4] == "cello"
    unknown = cast(listed(*(f"Thing {n}" for n in "abcdefg")))
    assert sorted(unknown.values()) == sorted(tune.PARTS), "what nobody knows goes to whoever has nothing"
    assert cast([]) == {}


@pytest.mark.parametrize("shape", [s for _, s in templates.shipped().values()], ids=list(templates.shipped()))
def test_every_socket_of_every_template_sounds_once_it_is_plugged_in(shape) -> None:  # type: ignore[no-untyped-def]
    plan, inputs = demo.plan(True), [i for i in shape.patch.inputs if i.used]
    plan = replace(plan, preamps=replace(plan.preamps, phantom=(True,) * plan.inputs, gain_db=(40.0,) * plan.inputs))
    room = open_live_room(plan, VirtualClock())
    room.command("plug", {"rows": [{"socket": i.socket, "words": i.label, "pickup": i.pickup} for i in inputs]})
    for player in room.room().players:
        room.command("ask", {"player": player, "mode": "perform"})
    engine = Engine(room, plan)
    run_inline(engine, lambda: engine.sample < 6 * 48000)
    heard = engine.ring.read(0, engine.sample)
    assert heard is not None
    levels = 20 * np.log10(np.abs(heard).max(axis=1) + 1e-9)
    for row in inputs:
        assert levels[row.socket - 1] > -55.0, row.label
    assert max(levels[len(inputs) : plan.inputs]) < -55.0, "every other cable was pulled"


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


def _hearing(room: LiveRoom, player: str) -> tuple[float, bool, bool]:
    while room._asked:
        room._asked.popleft()(0)
    hearing = room.place.players[player].hearing
    return round(hearing.late_ms, 1), hearing.unheard, hearing.lost


def test_who_hears_themselves_how_in_which_headphones() -> None:
    room = open_live_room(demo.plan(True), VirtualClock())
    late = round(1000 * room.round_trip_samples / 48000, 1)
    room.set_heard((HeardAt((0, 1), frozenset({8, 3})), HeardAt((2, 3), frozenset({3}), frozenset({8}), True)))
    assert _hearing(room, "narrator") == (late, False, False), "without headphones, from wherever it comes"
    room.command("wear", {"worn": {"narrator": 3, "cello": 3}})
    room.command("wear", {"worn": {"harmonium": 3, "dulcimer": 9}})
    assert _hearing(room, "narrator") == (0.0, False, False), "Direct"
    assert _hearing(room, "cello") == (late, False, False)
    assert _hearing(room, "harmonium") == (0.0, True, False), "not in that mix at all"
    assert _hearing(room, "dulcimer") == (0.0, True, True), "nothing plays at outputs 9 and 10, no click either"
    assert _hearing(room, "frame drum") == (0.0, False, False)
    assert room.room().worn["narrator"] == 3
    room.command("wear", {"worn": {"harmonium": 0}})
    assert _hearing(room, "harmonium") == (0.0, False, False)


def test_who_does_not_hear_themselves_or_the_click_plays_worse() -> None:
    player = Player("frame drum", ((3, "frame drum"),), 48000, TempoMap(48000))
    usual, unheard, lost = (
        [player._make_human(seed, hearing) for seed in range(20)]
        for hearing in (Hearing(), Hearing(0.0, True), Hearing(0.0, False, True))
    )

    def spread(humans: list) -> tuple[float, float]:  # type: ignore[type-arg]
        return float(np.std([h.late for h in humans])), float(np.std([h.force for h in humans]))

    assert spread(unheard)[0] > 1.7 * spread(usual)[0]
    assert spread(unheard)[1] > 1.3 * spread(usual)[1]
    assert spread(lost)[0] > 2.0 * spread(usual)[0]
    player.hearing = Hearing(0.0, True, True)
    assert max(abs(at) for h in (*unheard, *lost) for at in h.late) <= player._slack()
    steps = np.diff([lateness.wander_ms(q, 5) for q in range(96)])
    assert np.abs(steps).max() < 10.0, "slowly"


def test_two_plugs_are_never_called_the_same() -> None:
    made = casting.plugs(listed("Voice", "Voice", "", "", pickup="condenser"))
    assert len({p.name for p in made.values()}) == 4
    assert casting.plugs([Listed(1, "Loop", "software")]) == {}

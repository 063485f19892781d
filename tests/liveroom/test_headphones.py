"""What leaks from headphones is found in what was captured, in the right microphone, and nowhere without."""

from dataclasses import replace

from cattailer.core.plan import MixPlan
from cattailer.core.sound.leaking import click_dbfs
from cattailer.core.sound.ticks import ticks_of
from cattailer.engine.block.engine import Engine
from cattailer.engine.offline import run_inline
from cattailer.liveroom.clock import VirtualClock
from cattailer.processes.interfaces import open_live_room
from cattailer.services.session import demo

SECONDS = 10


def clicks(worn: dict[str, int], playing: bool) -> dict[int, float]:
    """By socket: the click's peak in dBFS where it is heard, with everybody playing, or nobody."""
    plan = demo.plan(True, click=True)
    plan = replace(plan, mixes=(*plan.mixes[:1], MixPlan(2, "Cue", (2, 3), 0.0)),
                   routes=tuple((f"track:{t.id}", "mix:2") for t in plan.tracks), groups=())
    room = open_live_room(plan, VirtualClock())
    for player in room.room().players if not playing else ():
        room.command("ask", {"player": player, "mode": "rest"})
    room.command("wear", {"worn": worn})
    engine = Engine(room, plan)
    engine.soon(engine.roll)
    run_inline(engine, lambda: engine.sample < SECONDS * plan.rate_hz)
    ticks = [(t.sample, t.kind) for t in plan.clicking.ticks(plan.tempo, 0, SECONDS * plan.rate_hz)]
    start = engine.round_trip_samples
    sound = engine.ring.read(start, engine.sample)
    assert sound is not None
    found = {s: click_dbfs(sound[s - 1], ticks, ticks_of(plan.clicking, plan.rate_hz), plan.rate_hz) for s in range(1, 11)}
    return {s: level for s, level in found.items() if level is not None}


def test_the_click_is_found_in_the_microphone_of_who_wears_it() -> None:
    found = clicks({"narrator": 3}, False)
    assert set(found) == {8, 9, 10}, "and, much softer, in those of the room beside"
    assert -75.0 < found[8] < -35.0
    assert max(found[9], found[10]) < found[8] - 8.0


def test_nobody_who_plays_in_time_is_taken_for_a_click() -> None:
    assert clicks({}, True) == {}

"""What comes out of the output sockets, and how late, at every rate and buffer."""

from dataclasses import replace

import numpy as np
import pytest

from cattailer.core.mix.cells import Cell
from cattailer.core.mix.listening import Listen
from cattailer.core.plan import MixPlan, Plan, TrackPlan
from cattailer.engine.block.engine import Engine
from cattailer.engine.offline import run_inline
from cattailer.liveroom.clock import VirtualClock
from cattailer.liveroom.ears import Ears
from cattailer.processes.interfaces import open_live_room
from cattailer.services.session import demo
from tests.helpers.plans import plan_of


def heard(plan: Plan, samples: int, change: Plan | None = None) -> tuple[np.ndarray, np.ndarray]:
    """(what came in, what came out), both by sample of the input sockets."""
    room = open_live_room(plan, VirtualClock())
    for player in room.room().players:
        room.command("ask", {"player": player, "mode": "perform"})
    engine, inputs, outputs = Engine(room, plan), [], []
    room.listener = lambda sound: outputs.append(sound.copy())
    process = engine.process

    def noted(incoming, outgoing, sample, lost):  # type: ignore[no-untyped-def]
        inputs.append(incoming.copy())
        if change is not None and sample <= samples // 2 < sample + plan.period:
            engine.soon(engine.set_plan(change))
        return process(incoming, outgoing, sample, lost)

    engine.process = noted  # type: ignore[method-assign]
    run_inline(engine, lambda: engine.sample < samples)
    return np.concatenate(inputs, axis=1), np.concatenate(outputs, axis=1)


@pytest.mark.parametrize("rate_hz", [44100, 48000, 96000])
@pytest.mark.parametrize("period", [32, 128, 1024])
def test_both_paths_are_as_late_as_the_budget_says(rate_hz: int, period: int) -> None:
    tracks = (TrackPlan(1, "A", (2,), True, 0.0, -1.0, listen=Listen("direct")), TrackPlan(2, "B", (5,), True, 0.0, -1.0))
    plan = replace(demo.plan(True, rate_hz, period), tracks=tracks, groups=(), direct=True,
                   mixes=(MixPlan(1, "Main", (0, 1), 0.0), MixPlan(2, "Cue", (2, 3), 0.0)),
                   routes=(("track:1", "mix:1"), ("track:2", "mix:2")))
    came, got = heard(plan, 24_000)
    room = open_live_room(plan, VirtualClock())
    direct, through = room.profile.direct_samples, room.profile.latency(period).round_trip_samples
    settled = 6000
    count = got.shape[1]
    assert np.array_equal(got[0, settled:], came[2, settled - direct : count - direct])
    assert np.allclose(got[2, settled:], came[5, settled - through : count - through], atol=1e-7)
    assert came[2].any()
    assert came[5].any()
    assert not got[[1, 3, *range(4, 12)]].any()


def test_direct_takes_cells_faders_and_pans_and_a_choice_for_each_mix() -> None:
    tracks = (TrackPlan(1, "A", (2,), True, -6.0, 0.5),)
    plan = plan_of(*tracks, direct=True, mixes=(MixPlan(1, "Main", (0, 1), -6.0), MixPlan(2, "Cue", (2, 3), -3.0, False)),
                   routes=(("track:1", "mix:1"), ("track:1", "mix:2")),
                   cells=(Cell("track:1", "mix:2", -4.0, -1.0, path="direct"),))
    came, got = heard(plan, 24_000)
    direct = 44
    want = came[2, 6000 - direct : got.shape[1] - direct] * 10 ** (-7 / 20)
    assert np.allclose(got[2, 6000:], want, atol=1e-7)
    assert not got[3].any()
    assert got[0].any(), "the main mix hears it Through"


def test_an_interface_without_the_path_goes_through() -> None:
    plan = plan_of(TrackPlan(1, "A", (2,), True, 0.0, -1.0, listen=Listen("direct")), main_db=0.0)
    came, got = heard(plan, 12_000)
    assert np.allclose(got[0, 6000:], came[2, 6000 - 332 : got.shape[1] - 332], atol=1e-7)


def test_direct_is_silent_while_48_v_settles_and_for_what_is_not_armed() -> None:
    track = TrackPlan(1, "A", (2,), True, 0.0, -1.0, listen=Listen("direct"))
    plan = plan_of(track, main_db=0.0, direct=True)
    phantom = tuple(not p for p in plan.preamps.phantom)
    _, got = heard(plan, 48_000, replace(plan, preamps=replace(plan.preamps, phantom=phantom)))
    assert got[0, :24_000].any()
    assert not got[0, 28_000:].any()
    _, got = heard(plan, 24_000, replace(plan, tracks=(replace(track, armed=False),)))
    assert not got[0, 16_000:].any()


def test_the_matrix_glides() -> None:
    ears = Ears(1, 1, 48_000, 44)
    ones = np.ones((1, 128), np.float32)
    ears.set_direct(np.ones((1, 1), np.float32))
    out = np.concatenate([ears.inside(ones) for _ in range(40)], axis=1)[0]
    assert np.abs(np.diff(out)).max() < 0.0015
    assert out[-1] == 1.0

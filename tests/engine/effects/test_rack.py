"""Effects are contained: what fails is switched off and said, and nothing else notices."""

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from cattailer.core.mix.effects import Compressor, Effects, Equaliser, Reverb
from cattailer.core.plan import Plan, ReturnPlan, TrackPlan
from cattailer.engine.block.engine import Engine
from cattailer.engine.effects.rack import NO_NUMBER, RAISED
from cattailer.engine.effects.strips import Strips
from tests.helpers.plans import Nobody, begin, finish, plan_of, run_for, sound, start

STRIP = Effects(Equaliser(low_db=6.0), Compressor(threshold_db=-30.0, ratio=4.0))


def with_effects(**changes: Any) -> Plan:
    plan = plan_of(TrackPlan(1, "A", (2,), True, 0.0, -1.0, effects=STRIP), main_db=0.0, **changes)
    return replace(plan, returns=(ReturnPlan(1, "Barn", effects=Effects(reverb=Reverb())),),
                   routes=(*plan.routes, ("track:1", "return:1"), ("return:1", "mix:1")))


@pytest.mark.parametrize("way", ["raises", "nan", "inf"])
@pytest.mark.parametrize("which", ["strips", "space"])
def test_what_fails_is_bypassed_and_said_and_the_capture_is_untouched(tmp_path: Path, which: str, way: str) -> None:
    plain, broken = start(plan_of(TrackPlan(1, "A", (2,), True))), start(with_effects())
    files = []
    for engine, name in ((plain, "plain"), (broken, "broken")):
        run = begin(engine, tmp_path / name)
        run_for(engine, 9600)
        if engine is broken:
            rack = engine._prepared.summing.racks[0 if which == "strips" else 1]
            victim: Any = rack.strips if which == "strips" else rack.spaces[0]

            def fail(block: np.ndarray, victim: Any = victim) -> None:
                if way == "raises":
                    raise ZeroDivisionError
                block[victim.rows] = np.nan if way == "nan" else np.inf

            victim.process = fail
        run_for(engine, 38_400)
        finish(engine, run)
        files.append(sound(tmp_path / name, "A"))
    assert np.array_equal(*files)
    said = broken.bypassed()
    assert said[-1] == (Strips.key if which == "strips" else "return:1", RAISED if way == "raises" else NO_NUMBER)
    mix = broken.mix_of(0, broken.mixes.written - 20_000, broken.mixes.written)
    assert mix is not None
    assert np.isfinite(mix).all()
    assert mix.any()
    assert broken.bypassed() == [], "said once"


def test_a_row_that_gives_no_number_is_let_through_alone() -> None:
    eq = Effects(Equaliser(low_db=6.0))
    tracks = tuple(TrackPlan(n, f"T{n}", (n,), True, 0.0, -1.0, effects=eq) for n in (1, 2))
    plan = plan_of(*tracks, main_db=0.0)
    engine = Engine(Nobody(plan), plan)
    inputs, outputs = np.zeros((plan.inputs, 128), np.float32), np.zeros((plan.outputs, 128), np.float32)
    heard = []
    for n in range(400):
        t = np.arange(128 * n, 128 * n + 128)
        inputs[2] = 0.1 * np.sin(2 * np.pi * 40 * t / 48_000)
        if n == 200:
            strips = engine._prepared.summing.racks[0].strips
            assert strips is not None
            strips._equaliser._state[:, :, 0] = np.nan
        engine.process(inputs, outputs, 128 * n, 0)
        heard.append(engine.mix_of(0, 128 * n, 128 * n + 128)[0])
    (said,) = engine.bypassed()
    assert said == ("voice 1 auto live captured", NO_NUMBER)
    before, after = (np.abs(np.concatenate(part)).max() for part in (heard[150:199], heard[250:]))
    assert after == pytest.approx(before, rel=1e-3), "the other track's equaliser goes on"


def test_a_reverb_goes_on_through_a_change_of_plan() -> None:
    """Its tail is not cut off when a track comes that has nothing to do with it."""
    plan = with_effects()
    plan = replace(plan, tracks=(replace(plan.tracks[0], effects=Effects()),))

    def tail(change: bool) -> np.ndarray:
        engine = Engine(Nobody(plan), plan)
        inputs, outputs = np.zeros((plan.inputs, 128), np.float32), np.zeros((plan.outputs, 128), np.float32)
        inputs[2, 0] = 0.5
        for n in range(300):
            engine.process(inputs, outputs, 128 * n, 0)
            inputs[2, 0] = 0.0
            if change and n == 20:
                engine.soon(engine.set_plan(replace(plan, tracks=(*plan.tracks, TrackPlan(2, "B", (3,), True, effects=STRIP)),
                                                    routes=(*plan.routes, ("track:2", "mix:1")))))
        mix = engine.mix_of(0, 128 * 40, 128 * 300)
        assert mix is not None
        return mix

    still, moved = tail(False), tail(True)
    assert np.abs(still).max() > 1e-4
    assert np.abs(still - moved).max() < 1e-6

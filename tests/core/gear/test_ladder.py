"""The buffer ladder and the latency budget."""

import numpy as np
import pytest

from cattailer.core.gear import ladder
from cattailer.core.gear.ladder import Load
from cattailer.media import profile_toml

RATE = 48000
M16 = profile_toml.shipped()["marshgate-16"]


def test_the_ladder_of_the_marshgate() -> None:
    loads = {p: Load(p, tuple([40.0 + p / 8] * 300)) for p in M16.buffers}
    rungs = ladder.rungs(M16, RATE, loads, {128: 37})
    assert [r.period for r in rungs] == list(M16.buffers)
    assert all(a.through_ms < b.through_ms for a, b in zip(rungs, rungs[1:], strict=False))
    middle = rungs[2]
    assert (middle.latency.round_trip_samples, middle.through_ms) == (332, pytest.approx((332 + 37) / 48))
    assert middle.direct_ms == pytest.approx(44 / 48)
    assert middle.air_m == pytest.approx(middle.through_ms * 0.343)
    assert middle.load == pytest.approx(56.0 / (128 / 48 * 1000))
    assert "notice" in middle.suits
    assert [r.lateness for r in rungs] == ["fine", "fine", "fine", "felt", "disturbing", "disturbing"]
    assert middle.room == "enough"
    assert "mixing" in rungs[-1].suits
    assert ladder.smallest_that_holds(loads, RATE) == 32
    heavy = {p: Load(p, tuple([500.0] * 300)) for p in M16.buffers}
    assert "break up" in ladder.rungs(M16, RATE, heavy, {})[0].suits
    assert [r.room for r in ladder.rungs(M16, RATE, heavy, {})][:2] == ["none", "enough"]
    assert ladder.smallest_that_holds(heavy, RATE) == 64


def test_the_budget_adds_up_to_the_round_trip() -> None:
    for period in M16.buffers:
        parts = ladder.budget(M16, period, 37)
        assert sum(p.samples for p in parts) == M16.latency(period).round_trip_samples + 37
        assert parts[-1].kind == "unknown"
    assert all(p.kind != "unknown" for p in ladder.budget(M16, 128, -5))


def test_chances_fall_with_room_and_are_said_in_words() -> None:
    rng = np.random.default_rng(1)
    times = tuple((100 + rng.pareto(3.0, 2000) * 60).tolist())
    chances = [Load(p, times).dropouts_per_hour(RATE) for p in (32, 128, 512)]
    assert chances[0] > chances[1] > chances[2] > 0
    assert Load(32, (900.0,) * 300).dropouts_per_hour(RATE) == pytest.approx(3.6e9 / (32e6 / RATE))
    words = [ladder.chance_in_words(v) for v in (None, 0.001, 0.1, 5.2, 600.0)]
    assert words == ["not measured", "hardly ever", "one in 10 h", "5 an hour", "10 a minute"]

"""The sums of a plan."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.mix.mixing import pan_gains, sums
from cattailer.core.plan import GroupPlan, MixPlan, Plan, TrackPlan
from cattailer.services.session import demo


def _plan(tracks: int, groups: int, routes: list[tuple[str, str]], armed: int) -> Plan:
    made = tuple(TrackPlan(n, f"T{n}", (n,), n == armed, -3.0 * n, (n % 3 - 1) * 0.5) for n in range(tracks))
    return replace(
        demo.plan(False), tracks=made, groups=tuple(GroupPlan(n, f"G{n}", -1.0 * n) for n in range(groups)),
        mixes=(MixPlan(1, "Main", (0, 1), -6.0), MixPlan(2, "Cue", (2, 3), 0.0)), routes=tuple(routes),
    )


@given(st.data())
def test_the_matrices_are_the_sums_along_all_ways(data: st.DataObject) -> None:
    """Against walking every way by hand, group by group."""
    tracks, groups = data.draw(st.integers(1, 5)), data.draw(st.integers(0, 4))
    ends = [f"track:{n}" for n in range(tracks)] + [f"group:{n}" for n in range(groups)]
    ways = [(a, b) for n, a in enumerate(ends) for b in [*ends[max(n + 1, tracks):], "mix:1", "mix:2"]]
    routes = data.draw(st.lists(st.sampled_from(ways), unique=True, max_size=15))
    plan = _plan(tracks, groups, routes, 0)
    got = sums(plan, "stopped").hardware

    def carried(end: str, left: float, right: float, mix: str) -> np.ndarray:
        total = np.zeros(2)
        for start, target in routes:
            if start != end:
                continue
            if target == mix:
                total += (left, right)
            elif target.startswith("group:"):
                level = 10 ** (-1.0 * int(target[6:]) / 20)
                total += carried(target, left * level, right * level, mix)
        return total

    for n, each in enumerate(plan.tracks):
        level, angle = 10 ** (each.fader_db / 20), (each.pan + 1) * np.pi / 4
        for row, (mix, db) in enumerate((("mix:1", -6.0), ("mix:2", 0.0))):
            want = carried(f"track:{n}", level * np.cos(angle), level * np.sin(angle), mix) * 10 ** (db / 20)
            assert np.allclose(got[2 * row : 2 * row + 2, n], want, atol=1e-6)
    rolling, capturing = sums(plan, "rolling"), sums(plan, "capturing")
    assert not rolling.hardware.any()
    assert np.allclose(rolling.takes[:, :tracks], got[:, :tracks], atol=1e-6)
    assert not capturing.hardware[:, 1:].any()
    assert not capturing.takes[:, 0].any()


def test_a_track_fed_by_a_group_carries_what_the_group_sums_to() -> None:
    plan = replace(
        _plan(2, 1, [("track:0", "group:0"), ("track:1", "group:0")], 9), feeders=(0,),
    )
    fed = TrackPlan(5, "Sum", (plan.inputs + 6, plan.inputs + 7), True)
    plan = replace(plan, tracks=(*plan.tracks, fed), routes=(*plan.routes, ("track:5", "mix:2")))
    got = sums(plan, "stopped")
    assert np.allclose(got.hardware[2:4], got.hardware[4:6]), "cue mix at 0 dB is the feeder"
    assert got.hardware[4:6, :2].any()


@given(st.floats(-1, 1))
def test_panning_mono_keeps_the_power(pan: float) -> None:
    ((left, right),) = pan_gains(pan, 1)
    assert left**2 + right**2 == pytest.approx(1.0)


def test_panning_pairs() -> None:
    assert pan_gains(0.0, 2) == [pytest.approx((1.0, 0.0)), pytest.approx((0.0, 1.0))]
    assert pan_gains(-1.0, 2)[1] == pytest.approx((0.0, 0.0))

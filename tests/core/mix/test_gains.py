"""Pans, mutes and solos."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.mix.gains import audible_in_main, pan_gains
from cattailer.core.plan import GroupPlan, TrackPlan
from cattailer.services.session import demo


@given(st.floats(-1, 1))
def test_panning_mono_keeps_the_power(pan: float) -> None:
    ((left, right),) = pan_gains(pan, 1)
    assert left**2 + right**2 == pytest.approx(1.0)


def test_panning_pairs() -> None:
    assert [pytest.approx(sides) for sides in pan_gains(0.0, 2)] == [(1.0, 0.0), (0.0, 1.0)]
    assert pan_gains(-1.0, 2)[1] == pytest.approx((0.0, 0.0))


def test_mutes_and_solos() -> None:
    tracks = tuple(TrackPlan(n, f"T{n}", (n,), False) for n in range(4))
    plan = replace(demo.plan(False), tracks=tracks, groups=(GroupPlan(1, "G"),),
                   routes=(("track:0", "group:1"), ("track:1", "group:1"), ("track:2", "mix:1"), ("group:1", "mix:1")))

    def audible(soloed: tuple[int, ...] = (), muted: tuple[int, ...] = (), group: bool = False) -> frozenset[int]:
        return audible_in_main(replace(
            plan, tracks=tuple(replace(t, soloed=t.id in soloed, muted=t.id in muted) for t in tracks),
            groups=(GroupPlan(1, "G", soloed=group),),
        ))

    assert audible() == {0, 1, 2, 3}
    assert audible(muted=(1,)) == {0, 2, 3}
    assert audible(soloed=(2,)) == {2}
    assert audible(group=True) == {0, 1}, "a soloed group sounds with all that leads to it"
    assert audible(soloed=(3,), group=True, muted=(0,)) == {1, 3}

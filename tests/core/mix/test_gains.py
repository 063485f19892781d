"""Pans, mutes and solos."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.mix.gains import pan_gains


@given(st.floats(-1, 1))
def test_panning_mono_keeps_the_power(pan: float) -> None:
    ((left, right),) = pan_gains(pan, 1)
    assert left**2 + right**2 == pytest.approx(1.0)


def test_panning_pairs() -> None:
    assert [pytest.approx(sides) for sides in pan_gains(0.0, 2)] == [(1.0, 0.0), (0.0, 1.0)]
    assert pan_gains(-1.0, 2)[1] == pytest.approx((0.0, 0.0))

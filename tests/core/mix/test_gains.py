"""Pans, widths and balances: the power of a channel is the same wherever it stands."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.mix.gains import STRAIGHT, pan_gains


@given(st.floats(-1, 1))
def test_panning_mono_keeps_the_power(pan: float) -> None:
    ((left, right),) = pan_gains(pan, 1)
    assert left**2 + right**2 == pytest.approx(1.0)


@given(st.floats(-1, 1), st.floats(0, 100), st.floats(-24, 24))
def test_a_pair_keeps_its_power_at_any_pan_width_and_balance(pan: float, width: float, balance_db: float) -> None:
    sides = pan_gains(pan, 2, width, balance_db)
    powers = [left**2 + right**2 for left, right in sides]
    assert sum(powers) == pytest.approx(2.0)
    assert 10 * math.log10(powers[1] / powers[0]) == pytest.approx(balance_db, abs=1e-6)


@given(st.floats(-1, 1))
def test_without_width_both_sides_stand_where_one_channel_would(pan: float) -> None:
    assert [pytest.approx(sides, abs=1e-12) for sides in pan_gains(pan, 2, 0.0)] == list(pan_gains(pan, 1)) * 2


def test_a_pair_is_as_it_came_in_the_middle_and_loses_no_side_at_an_end() -> None:
    assert pan_gains(0.0, 2) == STRAIGHT
    for left, right in pan_gains(-1.0, 2):
        assert (left, right) == pytest.approx((1.0, 0.0))
    (left, right), far = pan_gains(0.5, 2)
    assert (left, right) == pytest.approx(pan_gains(0.0, 1)[0]), "the left side stands in the middle then"
    assert far == pytest.approx((0.0, 1.0))

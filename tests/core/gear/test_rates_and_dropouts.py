"""Positions at other rates, what a rate means, and which buffer would have held."""

from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.gear import rates

RATES = st.sampled_from([44_100, 48_000, 88_200, 96_000, 192_000])


@given(st.integers(-(10**9), 10**12), RATES, RATES)
def test_a_moment_stays_the_moment(samples: int, old: int, new: int) -> None:
    there = rates.rescaled(samples, old, new)
    assert abs(Fraction(there, new) - Fraction(samples, old)) <= Fraction(1, 2 * new)
    assert rates.rescaled(samples, old, old) == samples
    if new % old == 0:
        assert rates.rescaled(there, new, old) == samples

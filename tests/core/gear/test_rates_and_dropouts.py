"""Positions at other rates, what a rate means, and which buffer would have held."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.gear import rates
from cattailer.core.gear.dropouts import Dropout, would_have_held
from cattailer.media import profile_toml

M16 = profile_toml.shipped()["marshgate-16"]
RATES = st.sampled_from([44_100, 48_000, 88_200, 96_000, 192_000])


@given(st.integers(-(10**9), 10**12), RATES, RATES)
def test_a_moment_stays_the_moment(samples: int, old: int, new: int) -> None:
    there = rates.rescaled(samples, old, new)
    assert abs(Fraction(there, new) - Fraction(samples, old)) <= Fraction(1, 2 * new)
    assert rates.rescaled(samples, old, old) == samples
    if new % old == 0:
        assert rates.rescaled(there, new, old) == samples


def test_what_a_rate_costs() -> None:
    one = rates.facts(M16, 48_000, 128, 10, 24, 3, 5)
    two = rates.facts(M16, 96_000, 128, 10, 24, 5, 5)
    assert (one.mb_per_minute, two.mb_per_minute) == (pytest.approx(86.4), pytest.approx(172.8))
    assert two.round_trip_ms == pytest.approx(one.round_trip_ms / 2)
    assert (one.to_convert, two.to_convert) == (2, 0)
    assert "stops at 96" in rates.facts(M16, 192_000, 128, 10, 24, 0, 0).why_not


@given(st.lists(st.tuples(st.integers(1, 5000), st.sampled_from([32, 64, 128, 256])), max_size=8))
def test_the_smallest_buffer_that_would_have_held(lost: list[tuple[int, int]]) -> None:
    drops = [Dropout(0.0, "rolling", 0, samples, period, 0.1) for samples, period in lost]
    found = would_have_held(drops, M16.buffers)
    stills = [samples + period for samples, period in lost]
    within = [s for s in stills if s <= max(M16.buffers)]
    assert (found.held, found.of) == (len(within), len(stills))
    if found.buffer is None:
        assert not within
    else:
        assert max(within) <= found.buffer
        assert all(max(within) > b for b in M16.buffers if b < found.buffer)

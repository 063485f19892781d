"""The low end of rows: what is below 430 Hz as it is, what is above away, wherever blocks begin."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.sound.lowend import KEPT_S, LowEnd

RATES = (8_000, 22_050, 44_100, 48_000, 88_200, 96_000, 176_400, 192_000)


@pytest.mark.parametrize("rate_hz", RATES)
@pytest.mark.parametrize(("hz", "kept"), [(20.0, 1.0), (60.0, 1.0), (350.0, 1.0), (420.0, 1.0), (580.0, 0.0), (1050.0, 0.0), (3000.0, 0.0)])
def test_a_tone_is_kept_or_gone(rate_hz: int, hz: float, kept: float) -> None:
    low = LowEnd(1, rate_hz)
    low.add(np.sin(2 * np.pi * hz * np.arange(2 * rate_hz) / rate_hz).astype(np.float32)[None])
    assert low.rate_hz == pytest.approx(1000.0, rel=0.003)
    assert np.sqrt(2 * np.mean(low.lately[0, 300:] ** 2)) == pytest.approx(kept, abs=0.003 if kept else 0.0005)


@given(st.lists(st.integers(0, 4000), min_size=1, max_size=8), st.sampled_from(RATES))
def test_it_makes_no_difference_where_blocks_begin(lengths: list[int], rate_hz: int) -> None:
    sound = np.random.default_rng(1).standard_normal((2, sum(lengths))).astype(np.float32)
    once, often, at = LowEnd(2, rate_hz), LowEnd(2, rate_hz), 0
    once.add(sound)
    for length in lengths:
        often.add(sound[:, at : at + length])
        at += length
    np.testing.assert_allclose(often.lately, once.lately, atol=1e-6)


def test_it_keeps_the_last_seconds_and_no_numbers_that_are_none() -> None:
    low = LowEnd(1, 48_000)
    for _ in range(9):
        assert low.lately.shape[1] <= round(KEPT_S * 1000)
        low.add(np.full((1, 48_000), np.nan, np.float32))
    assert low.lately.shape == (1, round(KEPT_S * 1000))
    assert not low.lately.any()

from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cattailer.core.time.timeline import Meter, Tempo, TempoMap
from tests.helpers.maps import maps


@given(maps(), st.integers(1, 90), st.integers(0, 12))
def test_every_beat_is_found_again_at_its_sample(tempo: TempoMap, bar: int, beat: int) -> None:
    beats = tempo.bar_beat_at(tempo.sample_of(bar)).of
    beat = beat % beats + 1
    at = tempo.bar_beat_at(tempo.sample_of(bar, beat))
    assert (at.bar, at.beat, at.of) == (bar, beat, beats)
    before = tempo.bar_beat_at(tempo.sample_of(bar, beat) - 1)
    assert (before.bar, before.beat) < (bar, beat)


@given(maps(), st.integers(0, 20_000_000))
def test_position_and_sample_agree_exactly(tempo: TempoMap, sample: int) -> None:
    assert tempo.sample_at(tempo.quarter_at(sample)) == sample


@settings(max_examples=40)
@given(maps(), st.integers(0, 3_000_000), st.integers(1, 400_000), st.integers(1, 400_000))
def test_beats_of_two_stretches_are_the_beats_of_both(tempo: TempoMap, start: int, a: int, b: int) -> None:
    whole = list(tempo.beats_between(start, start + a + b))
    assert whole == [*tempo.beats_between(start, start + a), *tempo.beats_between(start + a, start + a + b)]
    assert all(x.sample < y.sample for x, y in zip(whole, whole[1:], strict=False))


def test_maps_out_of_order_are_refused() -> None:
    with pytest.raises(ValueError, match="follow"):
        TempoMap(48000, (Tempo(Fraction(0), Fraction(90)), Tempo(Fraction(0), Fraction(91))))
    with pytest.raises(ValueError, match="begin"):
        TempoMap(48000, meters=(Meter(2, 4, 4),))

"""Places as people type them, and the ticks of the ruler."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.time.ruler import BARS, TIME, place, words
from cattailer.core.time.timeline import Meter, Tempo, TempoMap

TEMPO = TempoMap(48_000, (Tempo(Fraction(0), Fraction(92)),), (Meter(1, 3, 4), Meter(5, 4, 4)), 12_345)


@pytest.mark.parametrize(("typed", "at"), [
    ("1", TEMPO.sample_of(1)), ("bar 7", TEMPO.sample_of(7)), (" 5.4 ", TEMPO.sample_of(5, 4)),
    ("0:00", 0), ("1:05.25", 65.25 * 48_000), ("1:00:00", 3600 * 48_000), ("2,5 s", 2.5 * 48_000),
])
def test_a_place_is_a_bar_a_beat_or_a_time(typed: str, at: float) -> None:
    assert place(typed, TEMPO) == at


@pytest.mark.parametrize("typed", ["", "0", "-1", "5.5", "1.2.3", "bar", "1:2:3:4", "9999999", "1:", "1:99.5", "1:60:00"])
def test_what_is_no_place_is_said(typed: str) -> None:
    with pytest.raises(ValueError, match=r"no place|not a valid time|beats"):
        place(typed, TEMPO)


@given(st.integers(0, 10**9), st.sampled_from([BARS, TIME]), st.booleans())
def test_what_is_shown_is_read_as_the_same_place(sample: int, ruler: str, until: bool) -> None:
    back = place(words(sample, TEMPO, ruler, until), TEMPO, until)
    assert abs(back - sample) <= 48, "a time is shown to the millisecond"
    on_bar = TEMPO.sample_of(TEMPO.bar_beat_at(sample).bar)
    if on_bar >= TEMPO.sample_of(2 if until else 1):
        assert place(words(on_bar, TEMPO, BARS, until), TEMPO, until) == on_bar

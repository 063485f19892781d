"""Places that stay what they were given as."""

from fractions import Fraction

from hypothesis import given, settings
from hypothesis import strategies as st

from cattailer.core.gear.rates import rescaled
from cattailer.core.time.place import Place, place_at
from cattailer.core.time.ruler import read
from cattailer.core.time.timeline import TempoMap
from tests.helpers.maps import maps

RATES = (44_100, 48_000, 88_200, 96_000, 192_000)


def at_rate(tempo: TempoMap, rate_hz: int) -> TempoMap:
    return TempoMap.from_dict(rate_hz, tempo.to_dict())


@given(maps(), st.integers(1, 300), st.integers(0, 12), st.booleans(), st.lists(st.sampled_from(RATES), max_size=6))
@settings(max_examples=200)
def test_a_line_of_the_grid_stays_that_line_at_any_rate(
    tempo: TempoMap, bar: int, beat: int, until: bool, rates: list[int]
) -> None:
    beat = min(beat, tempo.meter_of(bar).beats)
    place = Place(bar, beat)
    first = tempo
    for rate in (*rates, tempo.rate_hz):
        tempo = at_rate(tempo, rate)
        sample = place.sample(tempo, until)
        lies = place_at(sample, tempo, until)
        assert lies.seconds is None
        assert lies.sample(tempo, until) == sample, "as it lies, it is where it was"
        assert Place.from_text(place.to_text()) == place
        assert place.words(tempo) == (f"{bar}.{beat}" if beat else str(bar))
        assert read(place.words(tempo), tempo) == place
    assert tempo == first, "bar 1 comes back to its sample"


@given(st.integers(0, 10**9), st.sampled_from(RATES), st.lists(st.sampled_from(RATES), max_size=6))
def test_a_time_stays_that_time_at_any_rate(sample: int, rate: int, rates: list[int]) -> None:
    place = Place.from_text(Place(seconds=Fraction(sample, rate)).to_text())
    for other in rates:
        assert place.sample(TempoMap(other)) == rescaled(sample, rate, other)
    assert place.sample(TempoMap(rate)) == sample


def test_a_beat_that_its_bar_has_lost_is_its_last() -> None:
    tempo = TempoMap.from_dict(48_000, {"tempi": [["0", "120"]], "meters": [[1, 3, 4]]})
    assert Place(2, 4).sample(tempo) == tempo.sample_of(2, 3)
    assert Place(2, 4).sample(tempo, until=True) == tempo.sample_of(3)


def test_a_time_that_nobody_typed_is_shown_as_the_ruler_counts() -> None:
    tempo = TempoMap(48_000)
    typed, lies = Place(seconds=Fraction(4)), Place(seconds=Fraction(4), lies=True)
    assert Place.from_text(lies.to_text()) == lies
    assert (typed.words(tempo), lies.words(tempo, bars=False)) == ("00:04", "00:04")
    assert (lies.words(tempo), lies.words(tempo, until=True)) == ("3", "2")

"""What the pattern player plays."""

from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.time.pattern import bar_of
from cattailer.core.time.timeline import Meter


@given(st.integers(1, 13), st.sampled_from([1, 2, 4, 8, 16]), st.integers(1, 400))
def test_patterns_stay_within_their_bar(beats: int, unit: int, bar: int) -> None:
    meter = Meter(1, beats, unit)
    hits = bar_of(bar, meter)
    assert {h.voice for h in hits} == {"beat", "bass", "pad"}
    assert all(h.quarter >= 0 and h.quarter + h.quarters <= meter.bar_quarters and h.quarters > 0 for h in hits)

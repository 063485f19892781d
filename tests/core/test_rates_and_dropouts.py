"""Positions at other rates, what a rate means, and which buffer would have held."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core import rates
from cattailer.core.clicking import ClickPlan
from cattailer.core.counting import count_in
from cattailer.core.dropouts import Dropout, would_have_held
from cattailer.core.routing import flow
from cattailer.core.timeline import Meter, Tempo, TempoMap
from cattailer.media import profile_toml
from cattailer.services import demo

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


@given(st.lists(st.tuples(st.integers(1, 60), st.integers(1, 20)), max_size=12), st.booleans())
def test_silent_stretches_join(stretches: list[tuple[int, int]], to_the_end: bool) -> None:
    """Whatever is made silent is, nothing else, and what touches becomes one."""
    plan, silent = ClickPlan(), set()
    for n, (first, length) in enumerate(stretches):
        until = 0 if to_the_end and n == len(stretches) - 1 else first + length
        plan = plan.silenced(first, until)
        silent |= set(range(first, until or 200))
    assert [bar for bar in range(1, 200) if plan.silent_in(bar)] == sorted(silent)
    ends = [(a, b or 10**9) for a, b in plan.silences]
    assert all(b < c for (_, b), (c, _) in zip(ends, ends[1:], strict=False))
    assert ClickPlan.from_dict(plan.to_dict()) == plan


@given(
    st.integers(1, 16), st.integers(2, 13), st.sampled_from([1, 2, 4, 8, 16]), st.integers(40, 300), st.integers(1, 40),
    st.integers(0, 30_000),
)
def test_a_count_ends_where_it_should(bars: int, beats: int, unit: int, bpm: int, bar: int, after: int) -> None:
    """Whole bars before the bar line, in closed form, whatever meter and tempo, and wherever it begins."""
    tempo = TempoMap(48_000, (Tempo(Fraction(0), Fraction(bpm)),), (Meter(1, beats, unit),), bar_one=777)
    position = tempo.sample_of(bar) + after
    counted = count_in(tempo, position, bars)
    whole = Fraction(4 * beats * bars, unit) * 60 / bpm * 48_000
    rest = position - tempo.sample_of(tempo.bar_beat_at(position).bar)
    assert abs(counted.samples - (whole + rest)) <= 2
    assert counted.stop == position
    found = list(counted.grid.beats_between(counted.start, counted.stop))
    assert [b.beat for b in found][: beats * bars] == list(range(1, beats + 1)) * bars


def test_whose_ears_a_track_reaches() -> None:
    plan = demo.shape().patch
    drawn = flow(plan, M16)
    drum = next(t for t in plan.tracks if t.name == "Frame drum")
    assert drawn.ears(drum.key) == ["Main mix, outputs 1+2", "Cue band, outputs 7+8"]
    assert drawn.from_outside(drum.key)
    assert not drawn.from_outside("soft:beat")

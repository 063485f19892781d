"""Phrases: laid out by bars, markers and silences, drawn, and which take is heard in them."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.comps import phrases
from cattailer.core.comps.cells import PART, WHOLE, shares
from cattailer.core.comps.snapping import BARS, BEATS, OFF, at_zero, on_grid, step
from cattailer.core.comps.together import together
from cattailer.core.errors import Refusal
from cattailer.core.time.timeline import Meter, Tempo, TempoMap

WALTZ = TempoMap(48_000, (Tempo(Fraction(0), Fraction(92)),), (Meter(1, 3, 4),))


def test_phrases_of_bars_cover_what_was_captured_and_follow_a_change_of_meter() -> None:
    tempo = TempoMap(48_000, (Tempo(Fraction(0), Fraction(120)),), (Meter(1, 4, 4), Meter(5, 3, 4)))
    found = phrases.every(tempo, 4, 0, tempo.sample_of(9) + 10)
    assert found == [(tempo.sample_of(a), tempo.sample_of(a + 4)) for a in (1, 5, 9)]
    with pytest.raises(Refusal):
        phrases.every(tempo, 0, 0, 100)
    with pytest.raises(Refusal, match="more than"):
        phrases.every(tempo, 1, 0, 48_000 * 3600)


@given(st.lists(st.integers(-50, 300), max_size=8), st.integers(0, 100), st.integers(1, 200))
def test_phrases_between_markers_leave_nothing_out(places: list[int], start: int, length: int) -> None:
    found = phrases.between(places, start, start + length)
    assert found[0][0] == start
    assert found[-1][1] == start + length
    assert all(a[1] == b[0] for a, b in zip(found, found[1:], strict=False))
    assert {a for a, _ in found} - {start} <= set(places)


def test_phrases_between_silences_meet_in_their_middle() -> None:
    rate, block = 48_000, 256
    peaks = np.full(4 * rate // block, 0.2)
    quiet = slice(int(1.9 * rate / block), int(2.3 * rate / block))
    peaks[quiet] = 1e-4
    first, second = phrases.by_silence(peaks, block, rate, 1000)
    assert first[0] == 1000
    assert first[1] == second[0]
    assert abs(first[1] - 1000 - 2.1 * rate) < 2 * block
    assert phrases.by_silence(np.zeros(100), block, rate, 0) == []
    short = peaks.copy()
    short[quiet] = 0.2
    short[400:420] = 0.0  # a tenth of a second is a breath
    assert len(phrases.by_silence(short, block, rate, 0)) == 1


@given(st.lists(st.integers(1, 40), min_size=1, max_size=6), st.integers(0, 100), st.integers(1, 60))
def test_a_phrase_that_is_drawn_makes_room(lengths: list[int], start: int, length: int) -> None:
    edges = np.concatenate([[0], np.cumsum(lengths)]).tolist()
    old = list(zip(edges, edges[1:], strict=False))
    left = [s for s in phrases.around(old, (start, start + length)) if s is not None]
    assert all(a < b and (b <= start or a >= start + length) for a, b in left)
    assert all(b <= c for (_, b), (c, _) in zip(left, left[1:], strict=False))


def test_a_take_is_heard_in_a_phrase_wholly_or_in_part() -> None:
    assert shares((0, 100), [(1, 0, 100)]) == {1: WHOLE}
    assert shares((0, 100), [(1, 0, 60), (2, 60, 200)]) == {1: PART, 2: PART}
    assert shares((0, 100), [(1, 0, 99), (2, 99, 200)]) == {1: WHOLE, 2: PART}
    assert shares((100, 200), [(1, 0, 100)]) == {}


def test_tracks_are_cut_together_by_player_and_by_hand() -> None:
    tracks: dict[int, int | None] = {1: None, 2: None, 3: None, 4: None}
    players = [{1, 2}]
    assert together(2, tracks, players) == [1, 2]
    assert together(3, tracks, players) == [3]
    assert together(1, {**tracks, 2: 2}, players) == [1], "taken out"
    assert together(1, {**tracks, 3: 2}, players) == [1, 2, 3], "put to one of a player's"
    assert together(4, {**tracks, 3: 4}, players) == [3, 4]
    assert together(3, {**tracks, 3: 9}, players) == [3], "what it was put to is gone"
    assert set(together(1, {1: 2, 2: 1, 3: None}, [])) >= {1}, "a ring of words ends"


def test_edits_land_on_bars_beats_and_zero_crossings() -> None:
    bar = WALTZ.sample_of(2)
    assert on_grid(bar - 100, BARS, WALTZ) == bar
    assert on_grid(bar - 100, BEATS, WALTZ) == bar
    assert on_grid(WALTZ.sample_of(2, 2) + 50, BEATS, WALTZ) == WALTZ.sample_of(2, 2)
    assert on_grid(bar - 100, OFF, WALTZ) == bar - 100
    with pytest.raises(Refusal):
        on_grid(0, "nowhere", WALTZ)
    sound = np.sin(2 * np.pi * (np.arange(200) - 70.5) / 100)
    assert at_zero(1065, 1000, sound) == 1071
    assert at_zero(1065, 1000, np.ones(100)) == 1065
    assert step(bar, 1, "bar", WALTZ) == WALTZ.sample_of(3) - bar
    assert step(bar, -2, "ms", WALTZ) == -96
    assert step(bar, 3, "sample", WALTZ) == 3
    with pytest.raises(Refusal):
        step(bar, 1, "mile", WALTZ)

"""When the click sounds, and what is counted in."""

from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cattailer.core.time.clicking import BETWEEN, PLAIN, STRONG, SUBDIVISIONS, ClickSettings
from cattailer.core.time.timeline import Meter, Tempo, TempoMap

RATE = 48000


@settings(max_examples=40)
@given(
    bpm=st.integers(20, 300), beats=st.integers(1, 9), unit=st.sampled_from([2, 4, 8, 16]), parts=st.sampled_from(SUBDIVISIONS),
    start=st.integers(0, 5_000_000), length=st.integers(1, 600_000),
)
def test_ticks_are_exact_and_none_is_lost_or_doubled(bpm: int, beats: int, unit: int, parts: int, start: int, length: int) -> None:
    tempo = TempoMap(RATE, (Tempo(Fraction(0), Fraction(bpm)),), (Meter(1, beats, unit),))
    plan = ClickSettings(subdivision=parts)
    whole = list(plan.ticks(tempo, start, start + length))
    cut = start + length // 3
    assert whole == [*plan.ticks(tempo, start, cut), *plan.ticks(tempo, cut, start + length)]
    step = Fraction(4, unit) / parts
    first = int(tempo.quarter_at(start) / step)
    expected = [
        (n, (2 * n * step * 60 * RATE / bpm + 1) // 2) for n in range(first, first + len(whole) + 3)
    ]
    inside = [(n, s) for n, s in expected if start <= s < start + length]
    assert [t.sample for t in whole] == [s for _, s in inside]
    kinds = [STRONG if n % (beats * parts) == 0 else PLAIN if n % parts == 0 else BETWEEN for n, _ in inside]
    assert [t.kind for t in whole] == kinds


def test_the_click_stops_where_it_should_and_sounds_when_it_should() -> None:
    tempo = TempoMap(RATE, (Tempo(Fraction(0), Fraction(92)),), (Meter(1, 3, 4),))
    ticks = list(ClickSettings(silences=((3, 0),)).ticks(tempo, 0, 10_000_000))
    assert len(ticks) == 6
    assert [ClickSettings(when=w).sounds_while(s) for w in ("both", "rolling", "capturing") for s in ("stopped", "rolling", "capturing")] == [
        False, True, True, False, True, False, False, False, True,
    ]
    assert ClickSettings.from_dict(ClickSettings(mixes=(3, 4), sound="beep").to_dict()) == ClickSettings(mixes=(3, 4), sound="beep")
    for wrong in ({"when": "never ever"}, {"sound": "cow"}, {"subdivision": 5}, {"level_db": 6.0}, {"accent_db": -1.0}, {"silences": [(0, 4)]}, {"silences": [(5, 5)]}, {"count_bars": 17}, {"count_sound": "horn"}, {"count_when": "noon"}):
        with pytest.raises(ValueError):
            ClickSettings(**wrong)  # type: ignore[arg-type]


def test_beats_can_be_strong_plain_soft_or_off() -> None:
    """Six-eight with two strong beats and one that is silent; what lies between a silent beat and the next goes on."""
    tempo = TempoMap(RATE, (Tempo(Fraction(0), Fraction(90)),), (Meter(1, 6, 8),))
    plan = ClickSettings()
    for beat, steps in ((2, 1), (4, 3), (6, 2)):
        for _ in range(steps):
            plan = plan.with_beat_stepped(beat, 6)
    assert plan.beats == ("strong", "soft", "plain", "strong", "plain", "off")
    bar = [(t.beat, t.kind) for t in plan.ticks(tempo, 0, tempo.sample_of(2))]
    assert bar == [(1, STRONG), (2, BETWEEN), (3, PLAIN), (4, STRONG), (5, PLAIN)]
    halves = ClickSettings(beats=plan.beats, subdivision=2)
    assert sum(t.beat == 6 for t in halves.ticks(tempo, 0, tempo.sample_of(2))) == 1
    assert ClickSettings.from_dict(plan.to_dict()) == plan
    for wrong in ({"beats": ("loud",)}, {"beats": ("plain",) * 17}, {"between_db": -1.0}):
        with pytest.raises(ValueError):
            ClickSettings(**wrong)  # type: ignore[arg-type]
    with pytest.raises(ValueError, match="no beat 7"):
        plan.with_beat_stepped(7, 6)

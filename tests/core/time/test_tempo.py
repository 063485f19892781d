"""Tempo maps against the closed form, and tapping."""

from decimal import Decimal, getcontext
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.time import tapping
from cattailer.core.time.timeline import Meter, Tempo, TempoMap

getcontext().prec = 40
def closed_form(tempi: list[tuple[int, int, bool]], quarter: int, rate: int) -> Decimal:
    """Samples to a quarter, in forty digits: steady stretches and 60/k·ln(b2/b1) on ramps."""
    seconds = Decimal(0)
    for n, (start, bpm, ramp) in enumerate(tempi):
        end = min(quarter, tempi[n + 1][0]) if n + 1 < len(tempi) else quarter
        if end <= start:
            break
        if ramp and n + 1 < len(tempi) and tempi[n + 1][1] != bpm:
            slope = Decimal(tempi[n + 1][1] - bpm) / Decimal(tempi[n + 1][0] - start)
            seconds += 60 / slope * ((Decimal(bpm) + slope * (end - start)) / Decimal(bpm)).ln()
        else:
            seconds += Decimal(60 * (end - start)) / Decimal(bpm)
    return seconds * rate


@pytest.mark.parametrize("rate", [44100, 48000, 96000])
def test_ten_thousand_bars_of_a_changing_map_are_exact(rate: int) -> None:
    rng = np.random.default_rng(3)
    tempi = [(q, int(rng.integers(50, 190)), bool(rng.random() < 0.5)) for q in range(0, 30_000, 300)]
    tempo = TempoMap(rate, tuple(Tempo(Fraction(q), Fraction(b), r) for q, b, r in tempi), (Meter(1, 3, 4),), 777)
    for bar in range(1, 10_001, 29):
        exact = closed_form(tempi, 3 * (bar - 1), rate)
        if abs(exact % 1 - Decimal("0.5")) > Decimal("1e-5"):
            assert tempo.sample_of(bar) == int(exact.to_integral_value()) + 777, bar
    beats = [b.sample for b in tempo.beats_between(tempo.sample_of(4000), tempo.sample_of(4200))]
    assert len(beats) == 600
    assert all(b > a for a, b in zip(beats, beats[1:], strict=False))


def taps(bpm: float, many: int, scatter_s: float, missed: float, doubled: float, rng: np.random.Generator) -> list[float]:
    times = np.arange(many) * 60 / bpm + rng.normal(0, scatter_s, many)
    again = times[rng.random(many) < doubled]
    times = np.append(times[rng.random(many) >= missed], again + rng.uniform(0.02, 0.06, len(again)))
    return list((np.sort(times) + 5.0).tolist())


@pytest.mark.parametrize(("many", "scatter_s", "missed", "doubled", "within"), [
    (60, 0.015, 0.05, 0.05, 0.005), (60, 0.015, 0.3, 0.0, 0.005), (12, 0.01, 0.0, 0.0, 0.008),
])
@pytest.mark.parametrize("bpm", [10, 23, 60, 92, 180, 240])
def test_taps_are_read_though_some_are_missed_and_some_doubled(
    bpm: int, many: int, scatter_s: float, missed: float, doubled: float, within: float
) -> None:
    rng = np.random.default_rng(bpm)
    found = [tapping.tapped(taps(bpm, many, scatter_s, missed, doubled, rng)) for _ in range(60)]
    assert sum(f is not None and abs(f.bpm / bpm - 1.0) <= within for f in found) >= 57
    assert sum(f is not None and abs(f.bpm - bpm) <= 1.5 * f.spread_bpm for f in found) >= 54, "as sure as it says"


@given(st.lists(st.floats(0, 1e9), max_size=200))
def test_any_taps_give_a_tempo_in_range_or_none(times: list[float]) -> None:
    found = tapping.tapped(times)
    assert found is None or (9.0 < found.bpm < 425.0 and found.spread_bpm >= 0.0 and found.used <= found.taps <= len(times))
    assert tapping.tapped(times[:3]) is None


def test_after_a_pause_it_begins_again() -> None:
    found = tapping.tapped([0.0, 0.5, 1.0, 1.5, 2.0, *(20.0 + 0.8 * np.arange(5)).tolist()])
    assert found is not None
    assert (found.bpm, found.taps) == (pytest.approx(75.0), 5)

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


@given(bpm=st.floats(30, 300), taps=st.integers(5, 24), seed=st.integers(0, 99))
def test_taps_with_human_scatter_and_a_miss_are_read(bpm: float, taps: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    times = np.arange(taps) * 60 / bpm + rng.normal(0, 0.008, taps)
    if taps > 8:
        times = np.delete(times, taps // 2)  # one was missed
    found = tapping.tapped([0.0, *(times + 10.0).tolist()] if seed % 2 else times.tolist())
    assert found is not None
    assert found.bpm == pytest.approx(bpm, rel=0.03 + 0.02 * bpm / 60)
    assert found.spread_bpm >= 0.0
    assert tapping.tapped([1.0, 1.5]) is None
    assert tapping.tapped([]) is None

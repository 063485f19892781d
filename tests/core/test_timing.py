"""The rules of timing: ramps, taps, the ladder, offsets, the round trip."""

from decimal import Decimal, getcontext
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cattailer.core import ladder, probe, tapping
from cattailer.core.align import SURE, WHITENING, Offset, agreement, find_offset
from cattailer.core.clicking import BETWEEN, PLAIN, STRONG, SUBDIVISIONS, ClickPlan
from cattailer.core.ladder import Load
from cattailer.core.timeline import Meter, Tempo, TempoMap
from cattailer.media import profile_toml

RATE = 48000
M16 = profile_toml.shipped()["marshgate-16"]
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
    for bar in range(1, 10_001, 7):
        exact = closed_form(tempi, 3 * (bar - 1), rate)
        if abs(exact % 1 - Decimal("0.5")) > Decimal("1e-5"):
            assert tempo.sample_of(bar) == int(exact.to_integral_value()) + 777, bar
    beats = [b.sample for b in tempo.beats_between(tempo.sample_of(4000), tempo.sample_of(4200))]
    assert len(beats) == 600
    assert all(b > a for a, b in zip(beats, beats[1:], strict=False))


def test_a_ramp_passes_through_its_middle_tempo() -> None:
    tempo = TempoMap(RATE, (Tempo(Fraction(0), Fraction(60), True), Tempo(Fraction(40), Fraction(120))))
    assert tempo.bpm_at(Fraction(20)) == 90.0
    assert tempo.bpm_at(Fraction(400)) == 120.0
    assert tempo.sample_at(Fraction(40)) == round(60 / 1.5 * float(np.log(2)) * RATE)


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


def test_the_ladder_of_the_marshgate() -> None:
    loads = {p: Load(p, tuple([40.0 + p / 8] * 300)) for p in M16.buffers}
    rungs = ladder.rungs(M16, RATE, loads, {128: 37})
    assert [r.period for r in rungs] == list(M16.buffers)
    assert all(a.through_ms < b.through_ms for a, b in zip(rungs, rungs[1:], strict=False))
    middle = rungs[2]
    assert (middle.latency.round_trip_samples, middle.through_ms) == (332, pytest.approx((332 + 37) / 48))
    assert middle.direct_ms == pytest.approx(44 / 48)
    assert middle.air_m == pytest.approx(middle.through_ms * 0.343)
    assert middle.load == pytest.approx(56.0 / (128 / 48 * 1000))
    assert "notice" in middle.suits
    assert [r.lateness for r in rungs] == ["fine", "fine", "fine", "felt", "disturbing", "disturbing"]
    assert middle.room == "enough"
    assert "mixing" in rungs[-1].suits
    assert ladder.smallest_that_holds(loads, RATE) == 32
    heavy = {p: Load(p, tuple([500.0] * 300)) for p in M16.buffers}
    assert "break up" in ladder.rungs(M16, RATE, heavy, {})[0].suits
    assert [r.room for r in ladder.rungs(M16, RATE, heavy, {})][:2] == ["none", "enough"]
    assert ladder.smallest_that_holds(heavy, RATE) == 64


def test_the_budget_adds_up_to_the_round_trip() -> None:
    for period in M16.buffers:
        parts = ladder.budget(M16, period, 37)
        assert sum(p.samples for p in parts) == M16.latency(period).round_trip_samples + 37
        assert parts[-1].kind == "unknown"
    assert all(p.kind != "unknown" for p in ladder.budget(M16, 128, -5))


def test_chances_fall_with_room_and_are_said_in_words() -> None:
    rng = np.random.default_rng(1)
    times = tuple((100 + rng.pareto(3.0, 2000) * 60).tolist())
    chances = [Load(p, times).dropouts_per_hour(RATE) for p in (32, 128, 512)]
    assert chances[0] > chances[1] > chances[2] > 0
    assert Load(32, (900.0,) * 300).dropouts_per_hour(RATE) == pytest.approx(3.6e9 / (32e6 / RATE))
    words = [ladder.chance_in_words(v) for v in (None, 0.001, 0.1, 5.2, 600.0)]
    assert words == ["not measured", "hardly ever", "one in 10 h", "5 an hour", "10 a minute"]


def delayed(sound: np.ndarray, samples: float) -> np.ndarray:
    size = 4 * len(sound)
    return np.fft.irfft(np.fft.rfft(sound, size) * np.exp(-2j * np.pi * np.fft.rfftfreq(size) * samples), size)[: len(sound)]


def came_back(rate: int, samples: float, gain: float = 0.5, noise: float = 1e-4, echo: float = 0.0, seed: int = 0) -> list[np.ndarray]:
    rng, out = np.random.default_rng(seed), []
    for _ in range(probe.REPEATS):
        sound = np.concatenate([probe.signal(rate), np.zeros(probe.stride(rate) - len(probe.signal(rate)))])
        heard = delayed(sound, samples) * gain
        heard[700:] += echo * heard[:-700]
        out.append((heard + rng.standard_normal(len(heard)) * noise).astype(np.float32))
    return out


@settings(max_examples=25)
@given(samples=st.floats(60, 4500), gain=st.floats(0.02, 1.5), turned=st.booleans(), rate=st.sampled_from([44100, 48000, 96000]), seed=st.integers(0, 99))
def test_a_round_trip_is_found_between_samples(samples: float, gain: float, turned: bool, rate: int, seed: int) -> None:
    found = probe.judge(probe.signal(rate), came_back(rate, samples, -gain if turned else gain, seed=seed), {}, 16, rate)
    assert found.failure == ""
    assert found.samples == pytest.approx(samples, abs=0.05)
    assert found.inverted is turned
    assert probe.lands(found.samples, 100, probe.correction(found.samples, 100))
    assert not probe.lands(found.samples + 3, 100, probe.correction(found.samples, 100))


@pytest.mark.parametrize(("heard", "others", "words"), [
    (came_back(RATE, 300, 0.0, noise=1e-6), {3: 0.1 * np.ones(9000, np.float32)}, "No signal came in at socket 16"),
    (came_back(RATE, 300, 0.0, noise=1e-6), {3: came_back(RATE, 400)[0], 4: came_back(RATE, 400, 0.0)[0]}, "the signal did at socket 3. Wrong socket?"),
    ([np.clip(h * 20, -1, 1) for h in came_back(RATE, 300)], {}, "clipped at socket 16"),
    (came_back(RATE, 300, 0.0004, noise=0.02), {}, "too quiet against the noise"),
])
def test_failures_are_named(heard: list[np.ndarray], others: dict[int, np.ndarray], words: str) -> None:
    found = probe.judge(probe.signal(RATE), heard, others, 16, RATE)
    assert words in found.failure
    assert found.samples == 0.0


def test_dropouts_may_take_two_repetitions_and_are_named_when_they_take_more() -> None:
    heard = came_back(RATE, 300.3)
    heard[1][:] = 0.0
    heard[2][4000:] = 0.0
    found = probe.judge(probe.signal(RATE), heard, {}, 16, RATE, dropouts=1)
    assert (found.failure, found.snr_db > 40) == ("", True)
    assert found.samples == pytest.approx(300.3, abs=0.05)
    heard[3][:] = heard[2][:] = 0.0
    assert "lost to dropouts" in probe.judge(probe.signal(RATE), heard, {}, 16, RATE, dropouts=2).failure


def test_one_part_that_fits_by_chance_says_nothing() -> None:
    by_chance = [Offset(-5.5, -0.3, 0.3, 15.0), Offset(812.0, 0.1, 0.02, 7.0), Offset(-4030.0, 0.1, 0.0, 6.5)]
    assert by_chance[0].confidence > SURE
    assert agreement(by_chance, 2.0).confidence < SURE
    assert agreement([by_chance[0], Offset(90.0, 0.9, 1.0, 20.0)], 2.0).confidence == 0.0
    both = agreement([Offset(41.0, -0.9, 1.0, 20.0), Offset(41.5, -0.9, 1.0, 20.0), by_chance[1]], 2.0)
    assert (both.near, both.samples, both.spread, both.inverted) == ([0, 1], 41.25, 0.25, True)
    assert both.confidence == pytest.approx(2 / 3)


def test_an_echo_stronger_than_the_direct_sound_is_passed_over() -> None:
    found = probe.judge(probe.signal(RATE), came_back(RATE, 300, 0.3, echo=1.5), {}, 16, RATE)
    assert (found.failure, found.echo) == ("", True)
    assert found.samples == pytest.approx(300, abs=0.05)


@settings(max_examples=30)
@given(offset=st.floats(-2000, 2000), turned=st.booleans(), echo=st.floats(0.2, 0.7), seed=st.integers(0, 999))
def test_at_0_db_with_spill_and_an_echo_it_is_right_or_not_sure(offset: float, turned: bool, echo: float, seed: int) -> None:
    rng = np.random.default_rng(seed)
    source = rng.standard_normal(2 * RATE)
    heard = delayed(source, offset) * (-1 if turned else 1)
    heard = heard + delayed(heard, float(rng.uniform(60, 900))) * echo + 0.5 * rng.standard_normal(2 * RATE)
    heard = heard + rng.standard_normal(2 * RATE) * np.std(heard)
    found = find_offset(source.astype(np.float32), heard.astype(np.float32), 4800, 0.5)
    if found.confidence >= SURE:
        assert found.samples == pytest.approx(offset, abs=1.0)
        assert found.inverted is turned
    stranger = find_offset(rng.standard_normal(2 * RATE).astype(np.float32), heard.astype(np.float32), 4800, 0.5)
    assert stranger.confidence < SURE, "what has nothing in common is never given"


@settings(max_examples=20, deadline=None)
@given(offset=st.floats(-900, 900), turned=st.booleans(), cutoff_hz=st.floats(400, 4000), seed=st.integers(0, 999))
def test_dull_sound_at_20_db_is_placed_within_a_twentieth_of_a_sample(
    offset: float, turned: bool, cutoff_hz: float, seed: int
) -> None:
    rng = np.random.default_rng(seed)
    spectrum = np.fft.rfft(rng.standard_normal(2 * RATE)) / (1 + (np.fft.rfftfreq(2 * RATE, 1 / RATE) / cutoff_hz) ** 2)
    source = np.fft.irfft(spectrum)
    heard = delayed(source, offset) * (-1 if turned else 1)
    heard = heard + rng.standard_normal(2 * RATE) * np.std(heard) * 0.1
    found = find_offset(source.astype(np.float32), heard.astype(np.float32), RATE, WHITENING)
    assert found.samples == pytest.approx(offset, abs=0.05)
    assert found.inverted is turned
    assert found.confidence >= SURE


@given(offset=st.integers(-9000, 9000), seed=st.integers(0, 99))
@settings(max_examples=20, deadline=None)
def test_a_click_track_that_fits_at_each_beat_is_placed_by_the_smallest_shift(offset: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    beats = np.zeros(4 * RATE)
    for at in range(10000, len(beats) - 10000, 31304):
        beats[at : at + 1500] = np.sin(np.arange(1500) * 0.13) * np.exp(-np.arange(1500) / 400)
    heard = np.roll(beats, offset) + 0.01 * rng.standard_normal(len(beats))
    found = find_offset(beats.astype(np.float32), heard.astype(np.float32), len(beats) - 1, WHITENING)
    assert found.samples == pytest.approx(offset, abs=0.1)


@settings(max_examples=40)
@given(
    bpm=st.integers(20, 300), beats=st.integers(1, 9), unit=st.sampled_from([2, 4, 8, 16]), parts=st.sampled_from(SUBDIVISIONS),
    start=st.integers(0, 5_000_000), length=st.integers(1, 600_000),
)
def test_ticks_are_exact_and_none_is_lost_or_doubled(bpm: int, beats: int, unit: int, parts: int, start: int, length: int) -> None:
    tempo = TempoMap(RATE, (Tempo(Fraction(0), Fraction(bpm)),), (Meter(1, beats, unit),))
    plan = ClickPlan(subdivision=parts)
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
    ticks = list(ClickPlan(silences=((3, 0),)).ticks(tempo, 0, 10_000_000))
    assert len(ticks) == 6
    assert [ClickPlan(when=w).sounds_while(s) for w in ("both", "rolling", "capturing") for s in ("stopped", "rolling", "capturing")] == [
        False, True, True, False, True, False, False, False, True,
    ]
    assert ClickPlan.from_dict(ClickPlan(mixes=(3, 4), sound="beep").to_dict()) == ClickPlan(mixes=(3, 4), sound="beep")
    for wrong in ({"when": "never ever"}, {"sound": "cow"}, {"subdivision": 5}, {"level_db": 6.0}, {"accent_db": -1.0}, {"silences": [(0, 4)]}, {"silences": [(5, 5)]}, {"count_bars": 17}, {"count_sound": "horn"}, {"count_when": "noon"}):
        with pytest.raises(ValueError):
            ClickPlan(**wrong)  # type: ignore[arg-type]


def test_beats_can_be_strong_plain_soft_or_off() -> None:
    """Six-eight with two strong beats and one that is silent; what lies between a silent beat and the next goes on."""
    tempo = TempoMap(RATE, (Tempo(Fraction(0), Fraction(90)),), (Meter(1, 6, 8),))
    plan = ClickPlan()
    for beat, steps in ((2, 1), (4, 3), (6, 2)):
        for _ in range(steps):
            plan = plan.with_beat_stepped(beat, 6)
    assert plan.beats == ("strong", "soft", "plain", "strong", "plain", "off")
    bar = [(t.beat, t.kind) for t in plan.ticks(tempo, 0, tempo.sample_of(2))]
    assert bar == [(1, STRONG), (2, BETWEEN), (3, PLAIN), (4, STRONG), (5, PLAIN)]
    halves = ClickPlan(beats=plan.beats, subdivision=2)
    assert sum(t.beat == 6 for t in halves.ticks(tempo, 0, tempo.sample_of(2))) == 1
    assert ClickPlan.from_dict(plan.to_dict()) == plan
    for wrong in ({"beats": ("loud",)}, {"beats": ("plain",) * 17}, {"between_db": -1.0}):
        with pytest.raises(ValueError):
            ClickPlan(**wrong)  # type: ignore[arg-type]
    with pytest.raises(ValueError, match="no beat 7"):
        plan.with_beat_stepped(7, 6)

"""The round trip and offsets, found in sound."""


import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cattailer.core.sound import probe
from cattailer.core.sound.align import SURE, WHITENING, Offset, agreement, find_offset
from cattailer.media import profile_toml

RATE = 48000
M16 = profile_toml.shipped()["marshgate-16"]


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

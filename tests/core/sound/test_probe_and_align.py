"""The round trip and offsets, found in sound."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cattailer.core.sound import probe
from cattailer.core.sound.align import SURE, WHITENING, find_offset

RATE = 48000
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

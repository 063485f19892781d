"""Loudness, range and true peak: the cases of EBU Tech 3341 and 3342, made from their written description."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal

from cattailer.core.sound.measure import Measurement, Measures
from cattailer.core.sound.truepeak import TruePeak

RATE = 48000


def tone(dbfs: float, seconds: float, rate: int = RATE, hz: float = 1000.0) -> np.ndarray:
    """A sine whose peaks are at ``dbfs``."""
    return 10 ** (dbfs / 20) * np.sin(2 * np.pi * hz * np.arange(round(seconds * rate)) / rate)


def stretches(*parts: tuple[float, float], rate: int = RATE) -> np.ndarray:
    return np.concatenate([tone(db, s, rate) if db > -200 else np.zeros(round(s * rate)) for db, s in parts])


def measured(sound: np.ndarray, rate: int = RATE, block: int = 0, bits: int = 24) -> Measures:
    sound = np.atleast_2d(sound)
    stereo = np.repeat(sound, 2, axis=0) if len(sound) == 1 else sound
    made = Measurement(len(stereo), rate, bits)
    for at in range(0, stereo.shape[1], block or stereo.shape[1]):
        made.add(stereo[:, at : at + (block or stereo.shape[1])].astype(np.float32))
    return made.measures()


@pytest.mark.parametrize(("rate", "case", "parts", "lufs"), [
    *((rate, 1, [(-23, 20)], -23.0) for rate in (44_100, RATE, 96_000)),
    *((RATE, n, parts, lufs) for n, parts, lufs in (
        (2, [(-33, 20)], -33.0), (3, [(-36, 10), (-23, 60), (-36, 10)], -23.0),
        (4, [(-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)], -23.0), (5, [(-26, 20), (-20, 20.1), (-26, 20)], -23.0),
    )),
])
def test_integrated(rate: int, case: int, parts: list[tuple[float, float]], lufs: float) -> None:
    got = measured(stretches(*parts, rate=rate), rate)
    assert got.integrated_lufs == pytest.approx(lufs, abs=0.1)
    if case < 3:
        assert got.max_momentary_lufs == pytest.approx(lufs, abs=0.1)
        assert got.max_short_term_lufs == pytest.approx(lufs, abs=0.1)


def test_surround_counts_its_channels_as_the_standard_says() -> None:
    """Case 6: L and R at -28, C at -24, Ls and Rs at -30."""
    assert measured(np.stack([tone(db, 20) for db in (-28, -28, -24, -30, -30)])).integrated_lufs == pytest.approx(-23.0, abs=0.1)
    six = np.stack([tone(db, 20) for db in (-28, -28, -24, -10, -30, -30)])
    assert measured(six).integrated_lufs == pytest.approx(-23.0, abs=0.1), "the low-frequency channel does not count"


def test_short_term_and_momentary_of_changing_levels() -> None:
    """Cases 9 and 12."""
    assert measured(stretches(*[(-20, 1.34), (-30, 1.66)] * 5)).max_short_term_lufs == pytest.approx(-23.0, abs=0.1)
    assert measured(stretches(*[(-20, 0.18), (-30, 0.22)] * 25)).max_momentary_lufs == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize("n", range(20))
def test_short_peaks_are_found_wherever_they_fall(n: int) -> None:
    """Cases 10 and 13 (files), 11 and 14 (live levels)."""
    assert measured(stretches((-300, n * 0.15), (-23, 3), (-300, 1))).max_short_term_lufs == pytest.approx(-23.0, abs=0.1)
    assert measured(stretches((-300, n * 0.02), (-23, 0.4), (-300, 1))).max_momentary_lufs == pytest.approx(-23.0, abs=0.1)
    rising = stretches((-300, n * 0.15), (-38.0 + n, 3), (-300, 3 - n * 0.15))
    assert measured(rising).max_short_term_lufs == pytest.approx(-38.0 + n, abs=0.1)
    assert measured(stretches((-300, n * 0.02), (-38.0 + n, 0.4), (-300, 0.8))).max_momentary_lufs == pytest.approx(-38.0 + n, abs=0.1)


@pytest.mark.parametrize(("levels", "range_lu"), [((-20, -30), 10), ((-20, -15), 5), ((-40, -20), 20), ((-50, -35, -20, -35, -50), 15)])
def test_loudness_range(levels: tuple[float, ...], range_lu: float) -> None:
    """Tech 3342, cases 1 to 4."""
    assert measured(stretches(*[(db, 20.0) for db in levels])).range_lu == pytest.approx(range_lu, abs=1.0)


@pytest.mark.parametrize(("divisor", "degrees", "amplitude", "dbtp"), [
    (4, 0.0, 0.5, -6.0), (4, 45.0, 0.5, -6.0), (6, 60.0, 0.5, -6.0), (8, 67.5, 0.5, -6.0), (4, 45.0, 1.41, 3.0),
])
def test_true_peak_between_samples(divisor: int, degrees: float, amplitude: float, dbtp: float) -> None:
    """Tech 3341, cases 15 to 19: the sine fades in and out, as an edge rings in any oversampling."""
    n = np.arange(RATE)
    fade = np.minimum(1.0, np.minimum(n, n[::-1]) / 2400.0)
    found = measured(fade * amplitude * np.sin(2 * np.pi * n / divisor + np.radians(degrees))).channels[0].true_peak_dbtp
    assert found is not None
    assert dbtp - 0.4 <= found <= dbtp + 0.2


@pytest.mark.parametrize("shift", range(4))
def test_true_peak_wherever_the_samples_fall(shift: int) -> None:
    """Cases 20 to 23: one high period, made at four times the rate, then sampled at each of four places."""
    n = np.arange(4 * RATE)
    fade = np.minimum(1.0, np.minimum(n, n[::-1]) / 9600.0)
    sound = 0.5 * fade * np.sin(2 * np.pi * n / 24)
    middle = 2 * RATE
    sound[middle : middle + 16] = np.sin(2 * np.pi * np.arange(16) / 16)
    smooth = signal.fftconvolve(sound, signal.firwin(801, RATE / 4, fs=4 * RATE), "same")
    high = 20 * math.log10(np.abs(smooth).max())
    found = measured(smooth[shift::4]).channels[0].true_peak_dbtp
    assert found is not None
    assert high - 0.4 <= found <= high + 0.2


@settings(max_examples=20)
@given(sizes=st.lists(st.integers(1, 40_000), min_size=1, max_size=6), seed=st.integers(0, 99))
def test_the_size_of_blocks_changes_nothing(sizes: list[int], seed: int) -> None:
    rng = np.random.default_rng(seed)
    sound = (rng.standard_normal((2, 6 * RATE)) * 0.2 * np.abs(np.sin(np.arange(6 * RATE) / 9000))).astype(np.float32)
    whole, parts = Measurement(2, RATE), Measurement(2, RATE)
    whole.add(sound)
    at, n = 0, 0
    while at < sound.shape[1]:
        size = sizes[n % len(sizes)] if sizes[n % len(sizes)] > 400 or n < 40 else 20_000
        parts.add(sound[:, at : at + size])
        at, n = at + size, n + 1
    assert parts.measures() == whole.measures()


@settings(max_examples=30)
@given(sizes=st.lists(st.integers(1, 700), min_size=4, max_size=40), seed=st.integers(0, 9))
def test_true_peak_against_the_direct_sum(sizes: list[int], seed: int) -> None:
    """Points that are passed over as too low are never the highest."""
    rng = np.random.default_rng(seed)
    sound = (rng.standard_normal((3, sum(sizes))) * rng.uniform(0.01, 1.0, (3, 1))).astype(np.float32)
    made, at = TruePeak(3), 0
    for size in sizes:
        made.add(sound[:, at : at + size])
        at += size
    from cattailer.core.sound.truepeak import _FILTERS
    for row in range(3):
        padded = np.concatenate([np.zeros(11), sound[row]])
        direct = max(np.abs(np.convolve(padded, f[::-1], "valid")).max() for f in _FILTERS)
        assert made.peak[row] == pytest.approx(max(direct, np.abs(sound[row]).max()), rel=1e-5)


def test_nothing_to_measure_is_none_and_what_is_not_finite_is_silence() -> None:
    silent = measured(np.zeros((1, RATE)))
    assert (silent.integrated_lufs, silent.range_lu, silent.channels[0].peak_dbfs) == (None, None, None)
    assert silent.channels[0].noise_floor_dbfs is None
    bad = tone(-20, 5).astype(np.float32)
    bad[1000:1010], bad[2000] = np.nan, np.inf
    found = measured(bad)
    assert found.integrated_lufs == pytest.approx(-20.0, abs=0.2)
    assert all(math.isfinite(v) for v in (found.channels[0].peak_dbfs or 0, found.channels[0].rms_dbfs or 0))
    square = measured(np.sign(tone(0, 3) + 1e-9))
    assert square.channels[0].rms_dbfs == pytest.approx(0.0, abs=1e-6)
    assert square.channels[0].clips == 1, "one clip from beginning to end"
    one = Measurement(1, RATE)
    for value in tone(-6, 0.02):
        one.add(np.array([[value]], np.float32))
    assert one.measures().channels[0].peak_dbfs == pytest.approx(-6.0, abs=0.01)


def test_floor_dc_and_clips_of_a_file() -> None:
    rng = np.random.default_rng(3)
    noise = rng.standard_normal(10 * RATE) * 10 ** (-70 / 20)
    noise[2 * RATE : 5 * RATE] += tone(-10, 3)
    noise += 0.01
    found = measured(noise).channels[0]
    assert found.noise_floor_dbfs == pytest.approx(-70.0, abs=0.5)
    assert found.dc == pytest.approx(0.01, abs=1e-4)
    clipped = np.clip(tone(6, 1, hz=100.0), -1.0, 1.0 - 2**-15)
    assert measured(clipped, bits=16).channels[0].clips in (99, 100, 199, 200)

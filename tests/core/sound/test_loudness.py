"""Loudness, range and true peak: the cases of EBU Tech 3341 and 3342, made from their written description."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

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


@pytest.mark.parametrize(("levels", "range_lu"), [((-20, -30), 10), ((-20, -15), 5), ((-40, -20), 20), ((-50, -35, -20, -35, -50), 15)])
def test_loudness_range(levels: tuple[float, ...], range_lu: float) -> None:
    """Tech 3342, cases 1 to 4."""
    assert measured(stretches(*[(db, 20.0) for db in levels])).range_lu == pytest.approx(range_lu, abs=1.0)


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

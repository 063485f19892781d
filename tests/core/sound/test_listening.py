"""What is read from the sound of a row: floors, notes, offsets, needles, loudness."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import signal

from cattailer.core.sound import tuner
from cattailer.core.sound.align import find_offset
from cattailer.core.sound.ballistics import RowLoudness, VuMeter
from cattailer.core.sound.rowsound import RowListener, arrived
from cattailer.core.sound.sections import Sections
from tests.helpers.signals import RATE, heard, noise_of, sine


def test_meters_and_listeners_take_anything() -> None:
    listener = RowListener(2, RATE)
    for block in (np.full((2, 10), np.nan), np.full((2, 1), np.inf), np.ones((2, 50_000)), np.zeros((2, 1)), -np.ones((2, 3))):
        listener.add(block.astype(np.float32))
    assert all(math.isfinite(v) for s in listener.sounds() for v in (s.peak_dbfs, s.rms_dbfs, s.dc, s.loud_dbfs))
    for kind in (VuMeter(2, RATE), RowLoudness(2, RATE)):
        kind.add(np.ones((2, 1), np.float32))


def test_a_dropout_is_not_the_noise_floor() -> None:
    broken = noise_of(6, -80)
    broken[RATE : RATE + 40_000] = 0.0
    both = np.stack([broken, 3.0 * broken]).astype(np.float32)
    for found, level in zip(heard(*arrived(both)), (-80.0, -70.5), strict=True):
        assert found.band_dbfs(20, 20_000, quiet=True) == pytest.approx(level, abs=2.5)
        assert found.floor_dbfs == pytest.approx(level, abs=1.0)


@given(hz=st.floats(27.5, 4000), harmonics=st.integers(1, 6), rate=st.sampled_from([44100, 48000, 96000]), seed=st.integers(0, 99))
def test_the_tuner_is_within_a_cent(hz: float, harmonics: int, rate: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    n = np.arange(round(tuner.WINDOW_S * rate))
    tone = sum(0.2 / k * np.sin(2 * np.pi * k * hz * n / rate + rng.uniform(0, 6.3)) for k in range(1, harmonics + 1))
    found = tuner.hear((tone + rng.standard_normal(len(n)) * 1e-4).astype(np.float32), rate)
    assert found is not None
    assert abs(1200 * math.log2(found.hz / hz)) < 1.0
    assert -50.0 <= found.cents <= 50.0


def test_a_plucked_note_is_read_within_a_quarter_second() -> None:
    for hz in (41.2, 82.4, 196.0, 440.0, 1318.5):
        t = np.arange(RATE // 4) / RATE
        string = sum(np.sin(2 * np.pi * hz * k * t) * np.exp(-t * (3 + k)) / k for k in range(1, 8)).astype(np.float32) * 0.3
        found = tuner.hear(string[-round(tuner.WINDOW_S * RATE) :], RATE)
        assert found is not None
        assert abs(1200 * math.log2(found.hz / hz)) < 3.0
    assert tuner.hear(noise_of(0.2, -20).astype(np.float32), RATE) is None
    assert tuner.hear(np.zeros(9600, np.float32), RATE) is None
    assert (tuner.note_of(442.0, 442.0).name, tuner.note_of(466.16).name, tuner.note_of(27.5).octave) == ("A", "B♭", 0)


@given(delay=st.floats(-300, 300), turned=st.booleans(), seed=st.integers(0, 50))
def test_offsets_are_found_between_samples(delay: float, turned: bool, seed: int) -> None:
    rng = np.random.default_rng(seed)
    a = rng.standard_normal(16_384)
    spectrum = np.fft.rfft(a, 32_768) * np.exp(-2j * np.pi * np.fft.rfftfreq(32_768) * delay)
    b = np.fft.irfft(spectrum, 32_768)[:16_384] * (-0.5 if turned else 0.5) + rng.standard_normal(16_384) * 0.05
    found = find_offset(a.astype(np.float32), b.astype(np.float32), 2400)
    assert found.samples == pytest.approx(delay, abs=0.05)
    assert found.inverted is turned


def test_the_vu_needle_moves_as_the_standard_says() -> None:
    meter = VuMeter(1, RATE)
    tone = sine(1000, -18, 2.0).astype(np.float32)[None]
    shown = []
    for at in range(0, tone.shape[1], 480):
        meter.add(tone[:, at : at + 480])
        shown.append(10 ** (meter.dbfs()[0] / 20) / 10 ** (-18 / 20))
    assert shown[29] == pytest.approx(0.99, abs=0.015), "99 % after 300 ms"
    assert 1.0 < max(shown) < 1.02, "and about a hundredth over"
    assert shown[-1] == pytest.approx(1.0, abs=0.005)


@given(sizes=st.lists(st.integers(1, 5000), min_size=1, max_size=8), seed=st.integers(0, 99), hz=st.floats(30, 2000))
def test_sections_are_the_recursion_however_it_is_cut(sizes: list[int], seed: int, hz: float) -> None:
    """Against SciPy's filter, sample by sample."""
    sos = np.concatenate([signal.butter(2, hz, "high", fs=RATE, output="sos"), signal.butter(2, 4 * hz, "low", fs=RATE, output="sos")])
    sound = np.random.default_rng(seed).standard_normal((3, sum(sizes))).astype(np.float32)
    made, at, parts = Sections(sos, 3), 0, []
    for size in sizes:
        parts.append(made.filter(sound[:, at : at + size]))
        at += size
    expected = signal.sosfilt(sos, sound.astype(np.float64), axis=1)
    assert np.abs(np.concatenate(parts, axis=1) - expected).max() < 1e-4 * np.abs(expected).max() + 1e-7


@given(size=st.integers(1, 5000))
def test_row_loudness_is_the_programme_loudness_of_one_channel(size: int) -> None:
    meter = RowLoudness(2, RATE)
    tone = np.stack([sine(1000, -23, 3.2), np.zeros(round(3.2 * RATE))]).astype(np.float32)
    for at in range(0, tone.shape[1], max(size, 200)):
        meter.add(tone[:, at : at + max(size, 200)])
    assert meter.lufs(0.4)[0] == pytest.approx(-26.0, abs=0.1)
    assert meter.lufs(3.0)[0] == pytest.approx(-26.0, abs=0.1)
    assert meter.lufs(3.0)[1] == -200.0


def test_what_a_dropout_took_is_no_quiet() -> None:
    """Padded silence on all rows is left out; a row that is silent by itself, and a few zeros, are sound."""
    rng = np.random.default_rng(1)
    sound = (rng.standard_normal((3, 48_000)) * 1e-4).astype(np.float32)
    sound[1] = 0.0
    sound[:, 100:110] = 0.0
    assert arrived(sound).shape == (3, 48_000)
    lost = sound.copy()
    lost[:, 5_000:29_000] = 0.0
    assert np.array_equal(arrived(lost), np.concatenate([sound[:, :5_000], sound[:, 29_000:]], axis=1))
    assert arrived(np.zeros((2, 4_000), np.float32)).shape == (2, 0)
    heard = [RowListener(3, 48_000) for _ in range(2)]
    for listener, what in zip(heard, (sound, lost), strict=True):
        for at in range(0, 48_000 * 6, 12_000):
            part = arrived(np.roll(what, at, axis=1)[:, :12_000])
            if part.shape[1]:
                listener.add(part)
    whole, cut = (listener.sounds()[0].floor_dbfs for listener in heard)
    assert cut == pytest.approx(whole, abs=0.5)

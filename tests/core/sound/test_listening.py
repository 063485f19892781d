"""What is read from the sound of a row: floors, notes, offsets, needles, loudness."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.sound import tuner
from cattailer.core.sound.ballistics import RowLoudness, VuMeter
from cattailer.core.sound.rowsound import RowListener, arrived
from tests.helpers.signals import RATE, heard, noise_of


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

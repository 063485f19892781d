"""The compressor is what its definition says, at any settings, in blocks of any size."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray
from scipy.signal import butter, sosfilt

from cattailer.core.mix.effects import Compressor, Effects
from cattailer.core.mix.flow import Insert
from cattailer.engine.effects.kernels import HOLD_S
from cattailer.engine.effects.strips import Strips


def by_definition(sound: NDArray[np.float64], dyn: Compressor, rate_hz: int) -> NDArray[np.float64]:
    """The louder side's peak, held; the gain computer in dB; one branching pole. Sample by sample."""
    hold, knee, slope = round(HOLD_S * rate_hz), dyn.knee_db, 1.0 - 1.0 / dyn.ratio
    attack, release = (1.0 - np.exp(-1000.0 / (ms * rate_hz)) for ms in (dyn.attack_ms, dyn.release_ms))
    heard = sosfilt(butter(2, dyn.detector_hz, "high", fs=rate_hz, output="sos"), sound) if dyn.detector_hz else sound
    padded = np.concatenate([np.zeros(hold - 1), np.abs(heard).max(axis=0)])
    over = 20 * np.log10(np.lib.stride_tricks.sliding_window_view(padded, hold).max(axis=1) + 1e-30) - dyn.threshold_db
    bent = (over + knee / 2) ** 2 / (2 * knee) if knee else over
    wanted = slope * np.where(over <= -knee / 2, 0.0, np.where(over >= knee / 2, over, bent))
    less, down = np.zeros(len(over)), 0.0
    for n, want in enumerate(wanted):
        down += (attack if want > down else release) * (want - down)
        less[n] = down
    return sound * 10.0 ** (-less / 20)


@settings(max_examples=25)
@given(
    st.sampled_from([44_100, 48_000, 96_000]), st.floats(-60.0, 0.0), st.floats(1.0, 20.0), st.floats(0.1, 200.0),
    st.floats(5.0, 2000.0), st.just(0.0) | st.floats(0.5, 24.0), st.just(0.0) | st.floats(20.0, 500.0), st.integers(1, 2),
    st.sampled_from([16, 64, 1000]), st.integers(0, 99),
)
def test_it_does_what_its_definition_says(
    rate: int, threshold: float, ratio: float, attack: float, release: float, knee: float, above: float, sides: int, period: int,
    seed: int,
) -> None:
    dyn = Compressor(True, threshold, ratio, attack, release, knee, detector_hz=above)
    random, loud = np.random.default_rng(seed), 1e-3 if seed < 20 else 1.0
    sound = (random.uniform(-loud, loud, (sides, 6000)) * np.repeat(10.0 ** random.uniform(-4, 0, 20), 300)).astype(np.float32)
    strips, got = Strips([Insert("a", 0, sides, Effects(dyn=dyn))], 0, rate, period), sound.copy()
    for at in range(0, 6000, period):
        strips.process(got[:, at : at + period])
    quiet = above == 0.0 and np.abs(sound).max() < 10.0 ** ((threshold - knee / 2) / 20)
    assert not quiet or np.array_equal(got, sound), "what stays below is the same to the bit"
    assert got == pytest.approx(by_definition(sound.astype(np.float64), dyn, rate), abs=2e-5)

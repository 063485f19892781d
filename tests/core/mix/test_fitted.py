"""Sections of equalisers follow their analogue prototypes up to 20 kHz, whatever they are set to."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import freqs, freqz

from cattailer.core.mix.effects import Effects, Equaliser
from cattailer.core.mix.equalising import response_db
from cattailer.core.mix.fitted import HIGH_SHELF, LOW_SHELF, PEAK, section
from cattailer.core.mix.flow import Insert
from cattailer.engine.effects.strips import Strips

AT = np.concatenate([np.geomspace(20.0, 18_000.0, 400), np.linspace(18_000.0, 20_000.0, 41)])
ALLOWED_DB = np.interp(AT, [18_000.0, 20_000.0], [0.5, 1.5])


def analogue_db(kind: str, hz: float, db: float, q: float) -> np.ndarray:
    """By SciPy, from the textbook's transfer functions."""
    a, slope = 10.0 ** (db / 40.0), np.sqrt(2.0) * 10.0 ** (db / 80.0)
    above, below = {
        PEAK: ([1.0, a / q, 1.0], [1.0, 1.0 / (a * q), 1.0]),
        LOW_SHELF: ([a, a * slope, a * a], [a, slope, 1.0]),
        HIGH_SHELF: ([a * a, a * slope, a], [1.0, slope, a]),
    }[kind]
    return 20.0 * np.log10(np.abs(freqs(above, below, AT / hz)[1]))


@settings(max_examples=150)
@given(
    st.sampled_from([PEAK, LOW_SHELF, HIGH_SHELF]), st.floats(np.log(20.0), np.log(20_000.0)), st.floats(-18.0, 18.0),
    st.floats(np.log(0.3), np.log(10.0)), st.sampled_from([44_100, 48_000, 88_200, 96_000, 192_000]),
)
def test_a_section_is_its_prototype(kind: str, log_hz: float, db: float, log_q: float, rate: int) -> None:
    hz, q = float(np.clip(np.exp(log_hz), 20.0, 20_000.0)), float(np.exp(log_q))
    b0, b1, b2, a1, a2 = section(kind, hz, db, q, rate)
    got = 20.0 * np.log10(np.abs(freqz([b0, b1, b2], [1.0, a1, a2], AT, fs=rate)[1]))
    assert (np.abs(got - analogue_db(kind, hz, db, q)) <= ALLOWED_DB).all()
    for polynomial in ([b0, b1, b2], [1.0, a1, a2]):
        assert np.abs(np.roots(polynomial)).max() < 1.0
    assert section(kind, hz, -db, q, rate)[3:] == pytest.approx((b1 / b0, b2 / b0), abs=1e-9), "a cut is a boost turned round"


@pytest.mark.parametrize("rate", [44_100, 96_000])
def test_what_is_drawn_is_what_is_heard(rate: int) -> None:
    eq = Equaliser(True, 70.0, 130.0, 4.0, 600.0, -7.0, 2.0, 9_000.0, 6.0, 0.8, 15_000.0, 12.0)
    strips, sound = Strips([Insert("a", 0, 1, Effects(eq))], 0, rate, 64), np.zeros((1, rate), np.float32)
    sound[0, 0] = 1.0
    for at in range(0, rate - 63, 64):
        strips.process(sound[:, at : at + 64])
    heard = 20 * np.log10(np.abs(np.fft.rfft(sound[0].astype(np.float64)))[np.round(AT).astype(int)])
    assert heard == pytest.approx(response_db(eq, np.round(AT), rate), abs=0.01)

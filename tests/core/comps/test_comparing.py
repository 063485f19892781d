"""How takes compare, and what a gain does to a piece."""

from fractions import Fraction

import numpy as np
import pytest

from cattailer.core.comps import levelling, roomtone
from cattailer.core.comps.comparing import against, changes, facts
from cattailer.core.comps.comppiece import CompPiece
from cattailer.core.errors import Refusal
from cattailer.core.time.timeline import Meter, Tempo, TempoMap

RATE = 48_000
TEMPO = TempoMap(RATE, (Tempo(Fraction(0), Fraction(120)),), (Meter(1, 4, 4),))


def clicks(late_ms: list[float], hz: float = 440.0) -> np.ndarray:
    """A note on every beat, as late as told, over a little noise."""
    out = 0.0002 * np.random.default_rng(2).standard_normal((len(late_ms) + 2) * RATE // 2)
    for n, ms in enumerate(late_ms):
        at = int((n * 0.5 + ms / 1000) * RATE) + 2400
        t = np.arange(RATE // 3) / RATE
        out[at : at + len(t)] += 0.4 * np.exp(-t * 30) * np.sin(2 * np.pi * hz * t)
    return out.astype(np.float32)[None, :]


def test_a_take_that_gets_late_says_from_where_and_how_it_is_tuned() -> None:
    late = [0.0] * 32 + [18.0] * 32
    found = facts(clicks(late, 440.0 * 2 ** (7 / 1200)), -2400, TEMPO, 1, None, 440.0)
    assert found.drift.notes == pytest.approx(64, abs=1)
    assert found.drift.median_ms == pytest.approx(9.0, abs=10)
    assert found.words.endswith("ms late from bar 9 on")
    assert int(found.words.split()[0]) == pytest.approx(18, abs=5), "notes are found within 5 ms"
    assert found.cents == pytest.approx(7.0, abs=2.0)
    assert found.level.noise_dbfs < -60
    assert facts(clicks([-15.0] * 40)[:, 2000:], -2400 + 2000, TEMPO, 1, None, 440.0).words.endswith("early throughout")
    assert facts(clicks([0.0] * 24), -2400, TEMPO, 1, None, 440.0).words == ""


def test_against_another_track_only_notes_that_belong_together_count() -> None:
    assert against([1000, 50_000, 90_000], [1480, 49_520, 200_000], RATE) == [(1000, -10.0), (50_000, 10.0)]
    assert against([1000], [], RATE) == []
    assert changes([], TEMPO) == ""


def test_gain_to_a_peak_or_a_loudness_and_what_becomes_of_the_noise() -> None:
    rng = np.random.default_rng(1)
    t = np.arange(4 * RATE) / RATE
    tone = 0.1 * np.sin(2 * np.pi * 1000 * t) * (np.sin(2 * np.pi * t) > -0.5)
    sound = (tone + 1e-4 * rng.standard_normal(len(t))).astype(np.float32)[None, :]
    of = levelling.measured(sound, RATE)
    assert of.peak_dbfs == pytest.approx(-20.0, abs=0.1)
    assert levelling.gain_to("peak", -14.0, of) == pytest.approx(6.0, abs=0.1)
    gain = levelling.gain_to("loudness", -16.0, of)
    louder = levelling.measured(sound * np.float32(10 ** (gain / 20)), RATE)
    assert louder.loudness_lufs == pytest.approx(-16.0, abs=0.1)
    assert of.noise_dbfs == pytest.approx(-80.0, abs=2.0)
    for aim, level in (("peak", 0.0), ("peak", -14.03), ("loudness", -16.0)):
        gain, _ = levelling.brought(aim, level, sound, RATE)
        again = levelling.measured((sound * 10 ** (gain / 20)).astype(np.float32), RATE)
        found = again.peak_dbfs if aim == "peak" else again.loudness_lufs
        assert level - 0.001 < found <= level, "exact, and never above"
    assert "it will not be heard" in levelling.words(6.0, of)
    assert "comes up by 20.0 dB to −60 dBFS, it will be heard" in levelling.words(20.0, of)
    assert "clip" in levelling.words(21.0, of)
    for aim, level, what in (("peak", 3.0, "between"), ("peak", 0.0, ""), ("brightness", -3.0, "peak or a loudness")):
        if what:
            with pytest.raises(Refusal, match=what):
                levelling.gain_to(aim, level, of)
    with pytest.raises(Refusal, match="silent"):
        levelling.gain_to("peak", -14.0, levelling.measured(np.zeros((1, 1000), np.float32), RATE))
    with pytest.raises(Refusal, match="at most"):
        levelling.gain_to("peak", 0.0, levelling.measured(sound * np.float32(0.001), RATE))


def test_gaps_are_filled_with_the_quietest_stretch_that_is_no_digital_silence() -> None:
    peaks = np.full(1000, 0.2)
    peaks[300:420] = 0.001
    peaks[600:800] = 0.0
    tone = roomtone.quietest(peaks, 256, RATE)
    assert tone is not None
    assert 300 * 256 <= tone[0] < tone[1] <= 421 * 256
    assert roomtone.quietest(np.full(1000, 0.2), 256, RATE) is None
    assert roomtone.quietest(np.zeros(10), 256, RATE) is None
    comp = (CompPiece(1, 1000, 5000, 0), CompPiece(2, 100_000, 5000, 0), CompPiece(1, 105_000, 10, 9))
    full = roomtone.filled(comp, 3, tone, RATE)
    assert all(a.stop == b.start for a, b in zip(full, full[1:], strict=False))
    assert next(p for p in full if p.take != 3) == comp[0]
    inside = [p for p in full if p.take == 3]
    assert len(inside) > 1
    assert all(tone[0] <= p.offset and p.offset + p.samples <= tone[1] for p in inside)

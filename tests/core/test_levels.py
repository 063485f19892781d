"""The rules of gain staging: advice, faults, noise, pairs, tuner, other ballistics."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import signal

from cattailer.core import faults, gainadvice, noise, pairs, tuner
from cattailer.core.align import find_offset
from cattailer.core.ballistics import RowLoudness, VuMeter
from cattailer.core.gainadvice import Heard, Margin, Preamp
from cattailer.core.levels import closeness_db, loading_corner_hz, loading_loss_db
from cattailer.core.patch import PatchInput
from cattailer.core.rowsound import RowListener, RowSound, arrived
from cattailer.core.sections import Sections
from cattailer.media import profile_toml

RATE = 48000
M16, M2 = (profile_toml.shipped()[k] for k in ("marshgate-16", "marshgate-2"))
WINDOW = (-18.0, -12.0)
PREAMP = Preamp(34.0, 0.0, 65.0, 1.0, 20.0)


def noise_of(seconds: float, rms_dbfs: float, seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).standard_normal(round(seconds * RATE)) * 10 ** (rms_dbfs / 20)


def sine(hz: float, dbfs: float, seconds: float = 4.0) -> np.ndarray:
    return 10 ** (dbfs / 20) * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)


def heard(*signals: np.ndarray) -> list[RowSound]:
    listener = RowListener(len(signals), RATE)
    sound = np.stack(signals).astype(np.float32)
    for at in range(0, sound.shape[1], 12_000):
        listener.add(sound[:, at : at + 12_000])
    return listener.sounds()


def test_the_sum_is_shown() -> None:
    told = gainadvice.advise(Heard("check", -7.2, -59.0, 0), PREAMP, WINDOW, Margin(5.4, 3))
    assert told.words == (
        "Peaked at −7.2 in the check. People play about 6 dB louder than they check (this player: 5.4 over 3 takes), "
        "so expect −1.8. Turn down 14 dB: peaks near −16, noise floor −73."
    )
    assert (told.kind, told.gain_db, told.pad_in) == ("down", 20.0, False)
    assert gainadvice.advise(Heard("check", -21.0, -80.0, 0), PREAMP, WINDOW, Margin()).short == "In the window. Leave it."
    assert gainadvice.advise(Heard("performance", -7.2, -70.0, 0), PREAMP, WINDOW, Margin()).short.startswith("Turn down 8 dB")
    clipped = gainadvice.advise(Heard("check", 0.0, -60.0, 3), PREAMP, WINDOW, Margin())
    assert "Clipped 3×" in clipped.words
    assert clipped.gain_db <= 34 - 12 - 15
    knob = gainadvice.advise(Heard("check", -30.0, -80.0, 0), replace(PREAMP, remote=False, step_db=0.0), WINDOW, Margin())
    assert knob.short.startswith("Turn the knob up by ")
    assert gainadvice.advise(Heard("check", -90.0, -95.0, 0), PREAMP, WINDOW, Margin()).kind == "silent"


def test_a_preamp_at_its_end_says_what_else_helps() -> None:
    low = gainadvice.advise(Heard("performance", -2.0, -70.0, 0), replace(PREAMP, gain_db=2.0), WINDOW, Margin())
    assert low.pad_in
    assert low.short.startswith("Pad in, then turn up")
    without = gainadvice.advise(Heard("performance", -2.0, -70.0, 0), replace(PREAMP, gain_db=2.0, pad_db=0.0), WINDOW, Margin())
    assert "move the microphone away" in without.short
    high = gainadvice.advise(Heard("performance", -40.0, -70.0, 0), replace(PREAMP, gain_db=60.0), WINDOW, Margin())
    assert (high.gain_db, "move the microphone closer" in high.short) == (65.0, True)
    out = gainadvice.advise(Heard("performance", -40.0, -70.0, 0), replace(PREAMP, gain_db=60.0, pad_in=True), WINDOW, Margin())
    assert (out.pad_in, out.gain_db) == (False, pytest.approx(64.0, abs=1.0))


@given(
    peak=st.floats(-59, 0), margin=st.floats(-2, 15), gain=st.integers(0, 65), step=st.sampled_from([0.5, 1.0, 3.0]),
    pad=st.sampled_from([0.0, 10.0, 20.0]), pad_in=st.booleans(), low=st.floats(-30, -8), wide=st.floats(4, 12),
    phase=st.sampled_from(gainadvice.PHASES),
)
def test_advice_lands_in_the_window_or_says_why_not(
    peak: float, margin: float, gain: int, step: float, pad: float, pad_in: bool, low: float, wide: float, phase: str
) -> None:
    preamp = Preamp(float(gain), 0.0, 65.0, step, pad, pad_in and pad > 0)
    window = (low, min(0.0, low + wide))
    told = gainadvice.advise(Heard(phase, peak, -90.0, 0), preamp, window, Margin(margin, 1))
    assert 0.0 <= told.gain_db <= 65.0
    if told.changes:
        assert told.gain_db / step == pytest.approx(round(told.gain_db / step))
    expected = peak + (margin if phase == "check" else 0.0)
    moved = told.gain_db - gain + pad * (preamp.pad_in - told.pad_in)
    assert told.peak_dbfs == pytest.approx(expected + moved)
    if told.kind in ("up", "down"):
        assert window[0] - step <= told.peak_dbfs <= window[1] + step
    if told.kind == "leave" and "Leave it" in told.short:
        assert window[0] <= told.peak_dbfs <= window[1]
    if told.kind == "end" or (told.kind == "leave" and "Leave it" not in told.short):
        assert told.gain_db < 3.0 or told.gain_db > 62.0


def test_margins_are_the_middle_of_what_was_seen() -> None:
    assert gainadvice.learned([], []) == Margin()
    assert gainadvice.learned([-50.0, -50.0, -48.0], [-45.0, -44.0, -44.0]) == Margin(5.0, 3)
    assert gainadvice.learned([-50.0], [-5.0]).db == 20.0, "no margin is that large; the microphone was moved"


def row(sound: RowSound, others: bool = True, voice: bool = False, profile: object = M16, **given: object) -> faults.Row:
    given = {"socket": 3, "label": "Cello", "gain_db": 30.0, **given}
    return faults.Row(PatchInput(**given), profile, sound, others, voice)  # type: ignore[arg-type]


def said(found: list[faults.Finding]) -> str:
    return " | ".join(f.text for f in found)


QUIET, TONE, SILENT = heard(noise_of(4, -95), sine(440, -15) + noise_of(4, -80, 2), np.zeros(4 * RATE))
BURSTY = heard(noise_of(4, -80) + sine(3000, -15) * (np.arange(4 * RATE) % RATE < RATE // 2))[0]


@pytest.mark.parametrize(("given", "words"), [
    (row(QUIET, pickup="condenser"), "Cello is silent: a condenser needs 48 V"),
    (row(QUIET, pickup="condenser", socket=14), "which this socket lacks"),
    (row(TONE, pickup="ribbon", phantom=True), "can destroy it"),
    (row(TONE, pickup="line"), "is at line level, and +30 dB"),
    (row(TONE, pickup="dynamic", socket=14), "microphone in a line socket"),
    (row(TONE, pickup="instrument"), "about 13 dB quieter and dull above 550 Hz"),
    (row(TONE, pickup="instrument", socket=5), "use another, or a DI"),
    (row(replace(QUIET, peak_dbfs=-40.0), pickup="dynamic", gain_db=64.0), "gain near its end: move the microphone closer"),
    (row(replace(TONE, peak_dbfs=-2.0), pickup="dynamic", gain_db=0.0), "loud with the gain near its least"),
    (row(replace(TONE, clips=3)), "clipped 3×"),
    (row(heard(np.clip(sine(220, -6), -0.25, 0.25) + noise_of(4, -100))[0], pickup="DI"), "clips before the converter: crests lie flat at −12 dBFS"),
    (row(replace(TONE, peak_dbfs=-1.0, loud_dbfs=-8.0), soft_limit=True), "works the soft limit all the time"),
    (row(replace(BURSTY, floor_dbfs=-40.0, loud_dbfs=-18.0), others=False), "only 22 dB above its noise"),
    (row(heard(sum(sine(50 * k, -70) for k in (1, 2, 3, 5)) + noise_of(4, -90))[0]), "hums at 50 Hz"),
    (row(heard(sum(sine(60 * k, -70) for k in (1, 2, 3)) + noise_of(4, -90))[0]), "hums at 60 Hz"),
    (row(heard(noise_of(4, -60) + 0.05)[0]), "carries DC, +5.0 %"),
    (row(SILENT, pickup="dynamic"), "is dead"),
    (row(heard(sine(300, -25) * 0.5 + sine(40, -8) * (np.arange(4 * RATE) % RATE < 5000))[0], voice=True), "bursts of breath"),
    (row(heard(sine(120, -15) + sine(700, -30))[0], voice=True, distance="20 cm"), "about 5 dB at 100 Hz from 20 cm"),
])
def test_every_rule_finds_its_fault(given: faults.Row, words: str) -> None:
    found = faults.look([given])
    assert words in said(found)
    for finding in found:
        assert finding.cure is None or finding.cure.action in ("switch", "gain")


@pytest.mark.parametrize("given", [
    row(TONE, pickup="condenser", phantom=True), row(QUIET, pickup="dynamic"), row(TONE, pickup="instrument", instrument=True),
    row(BURSTY, pickup="dynamic", voice=True), row(heard(sine(98, -12) + sine(196, -20))[0], pickup="DI"),
    row(heard(sine(49, -20, 4.0))[0], pickup="dynamic"), row(SILENT, pickup="dynamic", others=False),
    row(heard(sine(700, -15))[0], voice=True, distance="20 cm"),
])
def test_what_is_in_order_is_left_alone(given: faults.Row) -> None:
    assert said(faults.look([given])) == ""


def test_two_rows_with_one_signal() -> None:
    a, b = noise_of(1, -20, 1), noise_of(1, -20, 2)
    block = np.stack([a, b, -0.3 * a, np.zeros(RATE)]).astype(np.float32)
    assert faults.same_signals(block) == [(0, 2)]
    rows = [row(TONE, socket=n, label=f"Row {n}") for n in (1, 2, 3)]
    assert "Row 3 carries the same signal as Row 1" in said(faults.look(rows, [(0, 2)]))


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
    found = heard(broken)[0]
    assert found.band_dbfs(20, 20_000, quiet=True) == pytest.approx(-80.0, abs=2.5)
    assert found.floor_dbfs == -200.0 or found.floor_dbfs == pytest.approx(-80.0, abs=1.0)


def test_noise_is_the_sum_of_its_parts_and_the_largest_is_named() -> None:
    cello = PatchInput(3, "Cello", pickup="condenser", gain_db=40.0, phantom=True)
    expected = noise.parts(M16, cello)
    assert expected.expected > max(expected.converter, expected.preamp, expected.microphone)
    assert noise.attribute(expected.expected + 12.0, expected).who == "room"
    assert noise.attribute(expected.expected, expected).who == "microphone"
    assert noise.attribute(-90.0, noise.parts(M16, replace(cello, pickup="dynamic", gain_db=60.0))).who == "preamp"
    assert noise.attribute(-118.0, noise.parts(M16, PatchInput(3, pickup="DI", gain_db=0.0))).who == "converter"
    ribbon = noise.parts(M16, replace(cello, pickup="ribbon", phantom=False, gain_db=60.0))
    assert ribbon.preamp - noise.parts(M16, replace(cello, gain_db=50.0)).preamp == pytest.approx(10.0)


def test_loading_and_closeness_by_the_sum() -> None:
    assert loading_loss_db(10_000, 10_000) == pytest.approx(6.02, abs=0.01)
    assert loading_loss_db(150, 2_400) == pytest.approx(0.53, abs=0.01)
    assert loading_corner_hz(3.0, 8_000, 1_000_000) > 50_000
    assert closeness_db(3.0, 100.0) < 0.1 < closeness_db(0.1, 100.0)
    assert closeness_db(0.1, 1000.0) < 0.35


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


def test_a_pair_in_words() -> None:
    a = noise_of(1, -20)
    late = np.concatenate([np.zeros(84), a])[: len(a)]
    found = pairs.compare(a.astype(np.float32), (-late).astype(np.float32), RATE)
    assert found.words.startswith("Polarity is turned. The second is 84.0 samples later: 60 cm of air.")
    together = pairs.compare(a.astype(np.float32), (-a).astype(np.float32), RATE)
    assert "They arrive together. Added up they lose" in together.words
    assert min(db for _, db in together.sum_db) < -40
    assert {support for _, _, support in together.octaves} == {"cancels"}
    assert [pairs.support(db) for db in (3.0, -1.0, -6.0)] == ["adds", "thins", "cancels"]
    assert max(db for _, db in pairs.compare(a.astype(np.float32), a.astype(np.float32), RATE).sum_db) == pytest.approx(3.01, abs=0.01)
    assert not pairs.compare(a.astype(np.float32), noise_of(1, -20, 9).astype(np.float32), RATE).related
    assert pairs.compare(np.zeros(RATE, np.float32), a.astype(np.float32), RATE).sum_db == ()


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

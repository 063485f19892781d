"""The rules of gain staging: advice, faults, noise, pairs."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.advice import faults, gainadvice, noise, pairs, stereo
from cattailer.core.advice.gainadvice import Heard, Margin, Preamp
from cattailer.core.patch.ends import socket_end
from cattailer.core.patch.patch import Patch, PatchInput, PatchTrack
from cattailer.core.sound.rowsound import RowSound
from cattailer.media import profile_toml
from cattailer.services.session import demo
from tests.helpers.signals import RATE, heard, noise_of, sine

M16, M2 = (profile_toml.shipped()[k] for k in ("marshgate-16", "marshgate-2"))
WINDOW = (-18.0, -12.0)
PREAMP = Preamp(34.0, 0.0, 65.0, 1.0, 20.0)


@given(
    peak=st.floats(-59, 0), margin=st.floats(-2, 15), gain=st.integers(0, 65), step=st.sampled_from([0.5, 1.0, 3.0]),
    pad=st.sampled_from([0.0, 10.0, 20.0]), pad_in=st.booleans(), low=st.floats(-30, -8), wide=st.floats(4, 12),
    phase=st.sampled_from(tuple(gainadvice.PHASES)),
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


def test_two_rows_with_one_signal() -> None:
    a, b = noise_of(1, -20, 1), noise_of(1, -20, 2)
    block = np.stack([a, b, -0.3 * a, np.zeros(RATE)]).astype(np.float32)
    assert faults.same_signals(block) == [(0, 2)]
    rows = [row(TONE, socket=n, label=f"Row {n}") for n in (1, 2, 3)]
    assert "Row 3 carries the same signal as Row 1" in said(faults.look(rows, [(0, 2)]))


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


@given(
    gains=st.tuples(st.integers(0, 65), st.integers(0, 65)), peaks=st.tuples(st.floats(-80, 0), st.floats(-80, 0)),
    pads=st.tuples(st.booleans(), st.booleans()), clips=st.tuples(st.integers(0, 2), st.integers(0, 2)),
)
def test_advice_never_sets_two_gains_across_a_pair(
    gains: tuple[int, int], peaks: tuple[float, float], pads: tuple[bool, bool], clips: tuple[int, int]
) -> None:
    preamps = tuple(replace(PREAMP, gain_db=float(g), pad_in=p) for g, p in zip(gains, pads, strict=True))
    alone = tuple(
        gainadvice.advise(Heard("performance", peak, -95.0, c), preamp, WINDOW, Margin())
        for preamp, peak, c in zip(preamps, peaks, clips, strict=True)
    )
    left, right = stereo.paired(alone, preamps, ("Left", "Right"))  # type: ignore[arg-type]
    if not (alone[0].changes or alone[1].changes):
        assert (left, right) == alone
        return
    assert (left.gain_db, left.pad_in) == (right.gain_db, right.pad_in)
    for advice, preamp in ((left, preamps[0]), (right, preamps[1])):
        moved = (advice.gain_db, advice.pad_in) != (preamp.gain_db, preamp.pad_in)
        assert advice.changes == moved or advice.kind == "end"
    assert max(left.peak_dbfs, right.peak_dbfs) <= max(WINDOW[1] + 0.5, *(a.peak_dbfs for a in alone), -12.0)


def test_pairs_are_stereo_tracks_and_sides_of_one_source() -> None:
    assert stereo.pairs_of(demo.shape().patch) == [(1, 2), (9, 10)]
    named = [PatchInput(1, "OH L", pickup="condenser"), PatchInput(2, "OH R", pickup="condenser"), PatchInput(3, "Right hand"),
             PatchInput(4, "Left"), PatchInput(5, "Piano left", pickup="DI"), PatchInput(6, "Piano right", pickup="condenser")]
    assert stereo.pairs_of(Patch(tuple(named))) == [(1, 2)]
    both = PatchTrack(1, "Keys", (socket_end(4), socket_end(3)))
    assert stereo.pairs_of(Patch(tuple(named), (both,))) == [(4, 3), (1, 2)]


def test_steady_notes_do_not_give_a_wrong_distance_with_certainty() -> None:
    """A note fits again after each of its periods; a clap in it settles which is right."""
    late, t = 168, np.arange(2 * RATE) / RATE  # 120 cm
    note = sum(np.sin(2 * np.pi * 408.0 * n * t) / n for n in range(1, 12)) * 0.1
    both = [note + noise_of(2, -70, seed) for seed in (1, 2)]
    one, other = both[0].astype(np.float32), np.roll(both[1], late).astype(np.float32)
    found = pairs.compare(one, other, RATE)
    assert not found.sure
    told = [found.offset_samples, *(r.samples for r in found.rivals)]
    assert min(abs(samples - late) for samples in told) < 1.0
    assert "+120 cm" in found.words
    assert "% of the best" in found.words
    clap = np.zeros(2 * RATE)
    clap[RATE // 2 : RATE // 2 + 2000] = np.random.default_rng(3).uniform(-1, 1, 2000) * np.exp(-np.arange(2000) / 300)
    found = pairs.compare((one + clap).astype(np.float32), (other + np.roll(clap, late)).astype(np.float32), RATE)
    assert found.sure
    assert found.offset_cm == pytest.approx(120.0, abs=1.0)

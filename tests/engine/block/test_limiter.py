"""Limiters protect ears: nothing above their ceiling, between samples either, and nothing bent that is not too loud."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import fftconvolve, firwin, resample_poly

from cattailer.core.mix.limiting import SAMPLES, TRUE_PEAK
from cattailer.core.plan import MixPlan
from cattailer.core.units import decibels
from cattailer.engine.block.limiter import Limiter
from cattailer.engine.block.prepared import Prepared, prepare
from cattailer.engine.sources.playback import Playback
from cattailer.services.session import demo

Sound = np.ndarray


def prepared(rate: int, period: int, *limits: tuple[float | None, str]) -> Prepared:
    plan = replace(demo.plan(False, period=period), rate_hz=rate, tracks=(), groups=(), returns=(), routes=(), cells=())
    mixes = tuple(MixPlan(n + 1, f"Mix {n}", (), limit_dbfs=db, limit_by=by) for n, (db, by) in enumerate(limits))
    plan = replace(plan, mixes=mixes)
    return prepare(plan, Playback(plan), None, 0)


def limited(sound: Sound, rate: int, period: int, plans: dict[int, Prepared]) -> Sound:
    """(2 x mixes, samples) as they leave, without what they are late by; ``plans`` are by the sample from which on they
    hold."""
    limit, count = Limiter(rate, period), sound.shape[1]
    out = np.pad(sound, ((0, 0), (0, limit.delay_samples))).astype(np.float32)
    for at in range(0, out.shape[1], period):
        plan = plans[max(n for n in plans if n <= at)]
        limit.apply(out[:, at : at + period], plan)
    return out[:, limit.delay_samples : limit.delay_samples + count]


def both(one: Sound) -> Sound:
    return np.stack([one, 0.7 * one])


def made(kind: str, rate: int, random: np.random.Generator) -> Sound:
    samples = rate // 2
    t = np.arange(samples)
    loud = 10.0 ** random.uniform(-1.5, 0.3, samples // 500 + 1).repeat(500)[:samples]
    if kind == "noise":
        return random.uniform(-1, 1, samples) * loud
    if kind == "tone":
        return np.sin(2 * np.pi * random.uniform(0.001, 0.45) * t + random.uniform(0, 7)) * loud
    if kind == "steps":
        return np.where(t // random.integers(1, 40) % 2, 1.0, -1.0) * loud
    return np.where(random.random(samples) < 0.003, random.choice([-1.0, 1.0], samples), 0.0) * loud


@settings(max_examples=25)
@given(
    st.sampled_from(["noise", "tone", "steps", "clicks"]), st.sampled_from([44_100, 48_000, 96_000]),
    st.sampled_from([32, 50, 256, 1024]), st.floats(-30.0, -1.0), st.integers(0, 999),
)
def test_nothing_passes_above_its_ceiling(kind: str, rate: int, period: int, ceiling_db: float, seed: int) -> None:
    sound = np.concatenate([both(made(kind, rate, np.random.default_rng(seed + n))) for n in range(3)])
    plan = prepared(rate, period, (ceiling_db, TRUE_PEAK), (ceiling_db, SAMPLES), (None, TRUE_PEAK))
    out = limited(sound, rate, period, {0: plan})
    assert decibels(float(np.abs(resample_poly(out[:2].astype(float), 32, 1, axis=1)).max())) < ceiling_db + 0.2
    assert decibels(float(np.abs(out[2:4]).max())) < ceiling_db
    assert np.array_equal(out[4:], sound[4:].astype(np.float32)), "without a limiter it is delayed and nothing else"


@pytest.mark.parametrize("rate", [44_100, 96_000])
def test_what_is_not_too_loud_is_the_same_to_the_bit_and_a_low_tone_is_not_bent(rate: int) -> None:
    quiet = both(np.random.default_rng(1).uniform(-0.2, 0.2, rate)).astype(np.float32)
    assert np.array_equal(limited(quiet, rate, 128, {0: prepared(rate, 128, (-6.0, TRUE_PEAK))}), quiet)
    tone = both(0.5 * np.sin(2 * np.pi * 50 * np.arange(3 * rate) / rate))
    got = limited(tone, rate, 128, {0: prepared(rate, 128, (-12.0, TRUE_PEAK))})[0, -rate:].astype(float)
    power = np.abs(np.fft.rfft(got * np.blackman(rate))) ** 2
    own = power[45:56].sum()
    assert 10 * np.log10((power.sum() - own) / own) < -60.0
    assert decibels(float(np.abs(got).max())) == pytest.approx(-12.1, abs=0.05)


def test_it_lets_go_again_and_says_how_far_it_turned_down() -> None:
    plan, limit = prepared(48_000, 128, (-20.0, TRUE_PEAK)), Limiter(48_000, 128)
    random = np.random.default_rng(2)
    for n in range(1000):
        block = np.repeat(random.uniform(-1, 1, (1, 128)) * (0.9 if n < 200 else 0.03), 2, axis=0).astype(np.float32)
        limit.apply(block, plan)
        if n == 200:
            assert limit.taken()[1] < 0.2
    assert limit.taken()[1] < 0.5, "on its way back"
    limit.apply(block, plan)
    assert limit.taken()[1] == 1.0


@pytest.mark.parametrize(("before", "after"), [
    ((-6.0, TRUE_PEAK), (-30.0, TRUE_PEAK)), ((-30.0, TRUE_PEAK), (-6.0, SAMPLES)), ((None, TRUE_PEAK), (-30.0, SAMPLES)),
    ((-30.0, SAMPLES), (None, TRUE_PEAK)), ((-20.0, SAMPLES), (-20.0, TRUE_PEAK)),
])
def test_limiters_are_set_and_switched_without_a_click(before: tuple[float | None, str], after: tuple[float | None, str]) -> None:
    rate = 48_000
    tone = both(0.5 * np.sin(2 * np.pi * 1000 * np.arange(2 * rate) / rate))
    out = limited(tone, rate, 64, {0: prepared(rate, 64, before), rate: prepared(rate, 64, after)})
    aside = firwin(4801, [750, 1250], fs=rate, pass_zero="bandstop", window=("kaiser", 12.0))
    assert decibels(float(np.abs(fftconvolve(out[0, rate - 4000 :], aside, mode="valid")).max())) < -80.0

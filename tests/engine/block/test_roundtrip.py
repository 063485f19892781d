"""The round trip, measured and corrected: a driver that claims too little, at every rate and buffer it offers."""

from dataclasses import replace
from itertools import cycle
from pathlib import Path

import numpy as np
import pytest

from cattailer.core.mix.limiting import SAMPLES, TRUE_PEAK
from cattailer.core.plan import Plan, TrackPlan
from cattailer.core.sound import probe
from cattailer.core.time.clicking import ClickSettings
from cattailer.core.time.timeline import TempoMap
from cattailer.engine.block.engine import Engine
from cattailer.engine.sources.click import Click
from cattailer.engine.sources.probe import Probe
from cattailer.liveroom.clock import VirtualClock
from cattailer.media import profile_toml, wavfile
from cattailer.processes.interfaces import open_live_room
from cattailer.services.session import demo
from tests.helpers.plans import LOOP, begin, finish, plan_of, run_for

M16 = profile_toml.shipped()["marshgate-16"]
QUIET = 37


def opened(rate: int, period: int, correction: int = 0) -> Engine:
    plan = replace(plan_of(LOOP, click=True, period=period), rate_hz=rate, tempo=demo.tempo(rate), correction_samples=correction)
    driver = open_live_room(plan, VirtualClock(), ((0, 12),))
    driver.command("claim", {"samples": QUIET})
    return Engine(driver, plan)


def measured(engine: Engine) -> probe.Measured:
    rate = engine.plan.rate_hz
    made = Probe(probe.signal(rate), 0, probe.REPEATS, probe.stride(rate))
    engine.soon(lambda: engine.play_probe(made))
    run_for(engine, (probe.REPEATS + 2) * probe.stride(rate))
    heard = [engine.ring.read(s, s + probe.stride(rate), np.array([12]))[0] for s in made.starts]
    return probe.judge(probe.signal(rate), heard, {}, 13, rate)


# Each buffer with a rate, and each rate with a buffer at least.
@pytest.mark.parametrize(("rate", "period"), list(zip(cycle(M16.rates_hz), M16.buffers)))
def test_measure_use_and_capture_an_overdub_of_the_click(tmp_path: Path, rate: int, period: int) -> None:
    first = opened(rate, period)
    found = measured(first)
    claimed = first.driver.latency.round_trip_samples
    assert found.samples == pytest.approx(claimed + QUIET, abs=0.05)
    engine = opened(rate, period, probe.correction(found.samples, claimed))
    assert engine.round_trip_samples == claimed + QUIET
    assert probe.lands(measured(engine).samples, claimed, engine.plan.correction_samples)
    run = begin(engine, tmp_path)
    run_for(engine, int(1.5 * rate))
    finish(engine, run)
    captured = np.abs(wavfile.read(wavfile.inspect(tmp_path / "Loop.wav"))[0])
    tempo: TempoMap = engine.plan.tempo
    for beat in list(tempo.beats_between(0, rate))[:2]:
        around = captured[max(0, beat.sample - 600) : beat.sample + 600]
        onset = int(np.argmax(around > 0.5 * around.max())) + max(0, beat.sample - 600)
        assert abs(onset - beat.sample) <= 1


def limited(plan: Plan, how: str) -> Plan:
    mix = replace(plan.mixes[0], limit_dbfs=None if how == "off" else -1.0, limit_by=SAMPLES if how == SAMPLES else TRUE_PEAK)
    return replace(plan, mixes=(mix, *plan.mixes[1:]))


@pytest.mark.parametrize(("before", "after"), [(TRUE_PEAK, TRUE_PEAK), (SAMPLES, "off"), ("off", TRUE_PEAK), (TRUE_PEAK, SAMPLES)])
@pytest.mark.parametrize("rate", [44_100, 96_000])
def test_an_overdub_lies_on_the_sample_whatever_limits_the_mixes(tmp_path: Path, rate: int, before: str, after: str) -> None:
    plan = replace(plan_of(LOOP, click=True, main_db=0.0), rate_hz=rate, tempo=demo.tempo(rate))
    engine = Engine(open_live_room(plan, VirtualClock(), ((0, 12),)), limited(plan, before))
    run = begin(engine, tmp_path)
    run_for(engine, rate // 2)
    engine.soon(engine.set_plan(limited(engine.plan, after)))
    run_for(engine, 2 * rate)
    story = finish(engine, run)
    captured = wavfile.read(wavfile.inspect(tmp_path / "Loop.wav"))[0]
    click, expected = Click(plan.tempo, plan.clicking), np.zeros((2, story.samples), np.float32)
    click.pump([0])
    click.add(expected, 0)
    gain = np.dot(captured, expected[0]) / np.dot(expected[0], expected[0])
    assert np.abs(captured - gain * expected[0]).max() < 1e-4
    assert gain > 0.3


def test_the_click_goes_to_the_mixes_that_want_it_and_only_when_it_should(tmp_path: Path) -> None:
    plan = demo.plan(False, click=True)
    wanted = plan.mixes[1]
    plan = replace(plan, clicking=ClickSettings(when="capturing", mixes=(wanted.id,)), tracks=(TrackPlan(1, "One", (0,), True),), routes=())
    engine = Engine(open_live_room(plan, VirtualClock(), ((0, 12), (wanted.outputs[0], 13))), plan)
    engine.soon(engine.transport.roll)
    run_for(engine, 48_000)
    heard = engine.ring.read(engine.sample - 40_000, engine.sample, np.array([12, 13]))
    assert np.abs(heard).max() < 1e-4, "it only sounds while capturing"
    begin(engine, tmp_path)
    run_for(engine, 96_000)
    heard = np.abs(engine.ring.read(engine.sample - 80_000, engine.sample, np.array([12, 13]))).max(axis=1)
    assert heard[0] < 1e-4, "the main mix does not get it"
    assert heard[1] > 0.02

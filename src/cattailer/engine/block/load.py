"""How long blocks take on this machine, now, with a plan: measured for every buffer size beside the running engine."""

import time
from dataclasses import replace
from typing import Any

import numpy as np

from cattailer.core.gear.interface import Profile
from cattailer.core.plan import Plan, Preamps
from cattailer.engine.block.engine import Engine

BLOCKS = 200
LEAST_S = 0.6
PAUSE_S = 0.004
"""Blocks come with pauses, as they do from an interface: what runs meanwhile leaves the caches cold."""


class _Nobody:
    """A driver that is asked for nothing: noise in, nothing out."""

    def __init__(self, profile: Profile, plan: Plan, period: int) -> None:
        self.profile, self.rate_hz, self.period = profile, plan.rate_hz, period
        self.latency = profile.latency(period)
        rng = np.random.default_rng(1)
        self.inputs = (rng.standard_normal((plan.inputs, period)) * 0.05).astype(np.float32)
        self.outputs = np.zeros((plan.outputs, period), np.float32)

    def run(self, process: Any, going: Any) -> None:
        raise NotImplementedError

    def set_preamps(self, preamps: Preamps) -> None: ...
    def set_direct(self, gains: object) -> None: ...


def measure(profile: Profile, plan: Plan, period: int) -> list[float]:
    """Times of blocks in microseconds, rolling, with everything that the plan asks for but the disk."""
    driver = _Nobody(profile, plan, period)
    engine = Engine(driver, replace(plan, period=period, pieces=(), tracks=tuple(replace(t) for t in plan.tracks)))
    engine.transport.roll()
    engine.read_ahead()
    times: list[float] = []
    sample, until = 0, time.perf_counter() + LEAST_S
    while len(times) < BLOCKS and (len(times) < 50 or time.perf_counter() < until):
        before = time.perf_counter()
        engine.process(driver.inputs, driver.outputs, sample, 0)
        times.append(1e6 * (time.perf_counter() - before))
        sample += period
        engine.frames.clear()
        time.sleep(min(PAUSE_S, period / plan.rate_hz))
        driver.inputs = driver.inputs.copy()
    return times[10:]

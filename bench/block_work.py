"""What a block costs with 64 channels at 48 kHz while capturing, against its period.

The driver gives noise from a table, so that the engine's own work is measured; the disk thread
writes beside it, as in a session.
"""

import tempfile
import threading
import time
import uuid
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
from common import spread, tell

from cattailer.core.gear.interface import Socket
from cattailer.core.gear.latency import Latency
from cattailer.core.plan import Plan, Preamps, TrackPlan
from cattailer.engine.block.engine import Engine
from cattailer.engine.runs.making import make_run
from cattailer.media import journal, profile_toml
from cattailer.services.session import demo

CHANNELS = 64


class TableDriver:
    """Hands the same second of noise around and around."""

    def __init__(self, period: int) -> None:
        self.profile = replace(
            profile_toml.shipped()["marshgate-16"], sockets=tuple(Socket(n + 1, "XLR") for n in range(CHANNELS))
        )
        self.rate_hz, self.period, self.latency = 48000, period, Latency(period, period)
        rng = np.random.default_rng(1)
        self._table = (rng.standard_normal((CHANNELS, 48000 + period)) * 0.05).astype(np.float32)
        self._outputs = np.zeros((12, period), np.float32)
        self.costs: list[float] = []

    def set_preamps(self, preamps: Preamps) -> None: ...
    def set_direct(self, gains: object) -> None: ...
    def set_tempo(self, tempo: object) -> None: ...
    def set_heard(self, heard: object) -> None: ...

    def run(self, process: Callable[..., object], going: Callable[[], bool]) -> None:
        sample, period = 0, self.period
        began = time.perf_counter()
        while going():
            ahead = began + sample / self.rate_hz - time.perf_counter()
            if ahead > 0:
                time.sleep(ahead)
            inputs = self._table[:, sample % 48000 :][:, :period]
            before = time.perf_counter()
            process(inputs, self._outputs, sample, 0)
            self.costs.append(1e6 * (time.perf_counter() - before))
            sample += period


def measure(period: int, seconds: float) -> dict[str, object]:
    plan: Plan = replace(
        demo.plan(True, period=period, click=True), inputs=CHANNELS,
        tracks=tuple(TrackPlan(n + 1, f"t{n}", (n,), True) for n in range(CHANNELS)),
        groups=(), routes=tuple((f"track:{n + 1}", "mix:1") for n in range(CHANNELS)),
        preamps=Preamps((0.0,) * CHANNELS, (False,) * CHANNELS, (0.0,) * CHANNELS),
    )
    driver = TableDriver(period)
    engine = Engine(driver, plan)
    with tempfile.TemporaryDirectory() as out:
        head = journal.RunHeader(str(uuid.uuid4()), 1, 1, "bench", 48000, 24, 0, "2026-01-01T00:00:00+00:00", tuple(
            journal.RunFile(t.id, t.name, f"{t.name}.wav", 1, t.inputs) for t in plan.tracks
        ))
        run = make_run(engine, Path(out), "run", head)
        engine.soon(lambda: engine.begin_run(run))
        until = time.monotonic() + seconds
        stop = threading.Event()

        def pump() -> None:
            while not stop.is_set():
                engine.pump()
                time.sleep(0.04)

        worker = threading.Thread(target=pump)
        worker.start()
        driver.run(engine.process, lambda: time.monotonic() < until)
        stop.set()
        worker.join()
    period_us = 1e6 * period / 48000
    costs = spread(driver.costs[100:])
    return {"period": period, "period_us": round(period_us, 1), "block_us": costs,
            "share_of_period": round(costs["median"] / period_us, 4), "blocks": len(driver.costs)}


def main() -> None:
    tell(what="engine's block work, 64 channels at 48 kHz, all captured", sizes=[measure(n, 10) for n in (32, 128)])


if __name__ == "__main__":
    main()

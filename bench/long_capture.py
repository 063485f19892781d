"""A long capture of 64 channels on the virtual clock, into a sink that discards: how memory grows, how long closing takes.

usage: python bench/long_capture.py [MINUTES]
"""

import gc
import os
import sys
import tempfile
import time
import uuid
from dataclasses import replace
from pathlib import Path

import numpy as np
from block_work import CHANNELS, TableDriver
from common import tell

from cattailer.core.plan import TrackPlan
from cattailer.engine.block.engine import Engine
from cattailer.engine.runs.making import make_run
from cattailer.media import journal
from cattailer.services.session import demo

PERIOD, RATE = 1024, 48000


class Sink:
    """A file that keeps nothing."""

    def write_at(self, data: bytes | memoryview, offset: int) -> int:
        return len(data)

    def truncate(self, size: int) -> None: ...
    def sync(self) -> None: ...
    def close(self) -> None: ...
    def lock(self) -> None: ...
    def is_at(self, path: Path) -> bool:
        return True


class SinkDisk:
    def create(self, path: Path) -> Sink:
        return Sink()

    def append(self, path: Path) -> Sink:
        return Sink()

    def make_folder(self, path: Path) -> None: ...
    def sync_folder(self, path: Path) -> None: ...
    def remove(self, path: Path) -> None: ...


def memory_mb() -> float:
    return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6


def main() -> None:
    minutes = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    driver = TableDriver(PERIOD)
    tracks = tuple(TrackPlan(n + 1, f"T{n + 1}", (n,), True) for n in range(CHANNELS))
    plan = replace(
        demo.plan(False, RATE, PERIOD), inputs=CHANNELS, tracks=tracks, groups=(), routes=(), click=False,
        preamps=replace(demo.plan(False).preamps, gain_db=(0.0,) * CHANNELS, phantom=(False,) * CHANNELS, pad_db=(0.0,) * CHANNELS),
    )
    engine = Engine(driver, plan, SinkDisk())
    files = tuple(journal.RunFile(t.id, t.name, f"{t.name}.wav", 1, t.inputs) for t in tracks)
    header = journal.RunHeader(
        str(uuid.uuid4()), 1, plan.session, "Long", RATE, 24, 0, "2026-05-04T14:02:31+00:00", files
    )
    with tempfile.TemporaryDirectory() as folder:
        run = make_run(engine, Path(folder) / "run", "run", header)
        engine.soon(lambda: engine.begin_run(run))
        table = np.ascontiguousarray(driver._table)
        outputs = np.zeros((plan.outputs, PERIOD), np.float32)
        grown: list[tuple[int, float]] = []
        began, sample = time.perf_counter(), 0
        for minute in range(minutes):
            for block in range(RATE * 60 // PERIOD):
                engine.process(table[:, sample % RATE :][:, :PERIOD], outputs, sample, 0)
                sample += PERIOD
                if block % 20 == 0:
                    engine.write()
                    engine.events.clear()
                    engine.frames.clear()
                if block % 47 == 0:
                    for keeper in engine._recorder._kept:
                        keeper._synced_at = 0.0
                    engine.keep()
            gc.collect()
            grown.append((minute + 1, memory_mb()))
        engine.soon(engine.stop)
        for _ in range(4):
            engine.process(table[:, :PERIOD], outputs, sample, 0)
        engine.write()
        before = time.perf_counter()
        while engine.busy:
            engine.keep()
        closing_s = time.perf_counter() - before
        took = before - began
    settled = [m for m in grown if m[0] > max(2, minutes // 10)] or grown
    a_minute = float(np.polyfit([m for m, _ in settled], [mb for _, mb in settled], 1)[0]) if len(settled) > 1 else 0.0
    tell(
        what="64 channels at 48 kHz into a sink", minutes=minutes, times_real_time=round(60 * minutes / took, 1),
        grows_mb_a_minute=round(a_minute, 4), memory_mb_first=round(grown[0][1], 1),
        memory_mb_last=round(grown[-1][1], 1), closing_s=round(closing_s, 3), frames=run.frames,
    )


if __name__ == "__main__":
    main()

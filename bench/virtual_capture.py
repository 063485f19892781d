"""How many times faster than real time the ten-input demo is captured on the virtual clock.

Two figures: the capture alone, from the first block to the closed files; and with the opening, in
which every note of the seven players is rendered once.

usage: python bench/virtual_capture.py [SECONDS [REPEATS]]
"""

import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from common import machine_speed, spread, tell

from cattailer.engine import offline
from cattailer.engine.block.engine import Engine
from cattailer.processes import record


def main() -> None:
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 60.0
    repeats = int(sys.argv[2]) if len(sys.argv) > 2 else 5
    capture_s: list[float] = []
    run_inline = offline.run_inline

    def timed(engine: Engine, going: Callable[[], bool]) -> None:
        began = time.perf_counter()
        run_inline(engine, going)
        capture_s.append(time.perf_counter() - began)

    vars(record)["run_inline"] = timed
    plan, whole, speeds = record.plan_for(None, "all", 48000, 128), [], []
    for _ in range(repeats):
        with tempfile.TemporaryDirectory() as out:
            began = time.perf_counter()
            done = record.record(plan, Path(out), record.Way(seconds), True, 1)
            whole.append(seconds / (time.perf_counter() - began))
            assert done.written[0].story.samples == round(seconds * 48000)
        speeds.append(machine_speed())
    captured = [seconds / s for s in capture_s]
    tell(
        what="times real time, ten inputs to disk at 128 samples", seconds=seconds,
        machine_ms_runs=[round(s, 1) for s in speeds],
        capture=spread(captured), capture_runs=[round(c, 1) for c in captured],
        with_opening=spread(whole), with_opening_runs=[round(w, 1) for w in whole],
    )


if __name__ == "__main__":
    main()

"""How many times faster than real time the ten-input demo is captured on the virtual clock.

usage: python bench/virtual_capture.py [SECONDS [REPEATS]]
"""

import sys
import tempfile
import time
from pathlib import Path

from common import machine_speed, spread, tell

from cattailer.processes.record import record_demo


def main() -> None:
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 60.0
    repeats = int(sys.argv[2]) if len(sys.argv) > 2 else 5
    whole, speeds = [], []
    for _ in range(repeats):
        with tempfile.TemporaryDirectory() as out:
            began = time.perf_counter()
            done = record_demo("all", seconds, Path(out), True, 48000, 128, 1)
            whole.append(seconds / (time.perf_counter() - began))
            assert done.story.samples == round(seconds * 48000)
        speeds.append(machine_speed())
    tell(
        what="times real time, ten inputs, 128 samples, opening and rendering the players included",
        seconds=seconds, runs=[round(w, 1) for w in whole], machine_ms_runs=[round(s, 1) for s in speeds],
        times_real_time=spread(whole), best=round(max(whole), 1),
    )


if __name__ == "__main__":
    main()

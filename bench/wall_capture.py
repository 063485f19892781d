"""Ten inputs on the wall clock while both cores are kept busy: dropouts in a minute.

usage: python bench/wall_capture.py [SECONDS [BUSY]]
"""

import subprocess
import sys
import tempfile
from pathlib import Path

from common import tell

from cattailer.processes.record import Way, plan_for, record

BURN = "import numpy as np\na = np.random.rand(400, 400)\nwhile True:\n    a = a @ a; a /= a.max()"


def main() -> None:
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 60.0
    busy = int(sys.argv[2]) if len(sys.argv) > 2 else 2
    plan = plan_for(None, "all", 48000, 128)
    burners = [subprocess.Popen([sys.executable, "-c", BURN]) for _ in range(busy)]
    try:
        with tempfile.TemporaryDirectory() as out:
            done = record(plan, Path(out), Way(seconds), False, 1)
            (story,) = [w.story for w in done.written]
            lengths = {Path(out, f.path).stat().st_size for f in story.files}
    finally:
        for burner in burners:
            burner.kill()
    tell(what="dropouts, ten inputs, 128 samples, wall clock", seconds=seconds, busy_processes=busy,
         dropouts=done.dropouts, samples=story.samples, equal_lengths=len(lengths) == 1)


if __name__ == "__main__":
    main()

"""64 rows metered live at a 128-sample period: the share of one core that metering takes, by what is read.

usage: python bench/live_meters.py [SECONDS]
"""

import sys
import time
from statistics import median

import msgpack
import numpy as np
from common import tell

from cattailer.core.sound.meters import KINDS
from cattailer.engine.process.metering import RowMeters

RATE, ROWS, PERIOD = 48000, 64, 128
FRAME = RATE // 30 // PERIOD * PERIOD
WINDOWS = [(-18.0, -12.0)] * ROWS


def share(kind: str, seconds: float) -> float:
    """Time for gathering, reading and packing a second's frames, as a share of that second; the median."""
    rng = np.random.default_rng(2)
    swell = np.abs(np.sin(np.arange(RATE) / 7000))
    sound = (rng.standard_normal((ROWS, RATE)) * 0.08 * swell).astype(np.float32)
    meters = RowMeters(ROWS, RATE)
    meters.choose(kind)
    spent = []
    for _ in range(round(seconds)):
        began = time.thread_time()
        for at in range(0, RATE - FRAME, FRAME):
            meters.add(np.ascontiguousarray(sound[:, at : at + FRAME]))
            msgpack.packb(meters.as_sent(meters.show(0.0), WINDOWS))
        spent.append(time.thread_time() - began)
    return median(spent)


def main() -> None:
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 15
    tell(what="share of a core, 64 rows, 30 frames a second", **{kind: round(share(kind, seconds), 4) for kind in KINDS})


if __name__ == "__main__":
    main()

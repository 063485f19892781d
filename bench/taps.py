"""Taps with scatter, missed and doubled ones, read a thousand times at each tempo: how many come within what is asked.

usage: python bench/taps.py [how many] [seed]
"""

import sys

import numpy as np
from common import tell

from cattailer.core.time.tapping import tapped

KINDS = {
    "60 taps, 15 ms, 5 % missed, 5 % doubled, within 0.5 %": (60, 0.015, 0.05, 0.05, 0.005),
    "60 taps, 15 ms, 30 % missed, within 0.5 %": (60, 0.015, 0.3, 0.0, 0.005),
    "12 taps, 10 ms, within 0.8 %": (12, 0.01, 0.0, 0.0, 0.008),
}
TEMPI_BPM = (10, 15, 24, 40, 60, 92, 120, 180, 240, 320, 400)


def right(random: np.random.Generator, bpm: float, many: int, scatter_s: float, missed: float, doubled: float, within: float) -> bool:
    times = np.arange(many) * 60.0 / bpm + random.normal(0.0, scatter_s, many)
    again = times[random.random(many) < doubled]
    times = np.append(times[random.random(many) >= missed], again + random.uniform(0.02, 0.06, len(again)))
    found = tapped((np.sort(times) + 5.0).tolist())
    return found is not None and abs(found.bpm / bpm - 1.0) <= within


def main() -> None:
    many = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    random = np.random.default_rng(int(sys.argv[2]) if len(sys.argv) > 2 else 1)
    tell(of=many, **{
        kind: {str(bpm): round(sum(right(random, bpm, *how) for _ in range(many)) / many, 3) for bpm in TEMPI_BPM}
        for kind, how in KINDS.items()
    })


if __name__ == "__main__":
    main()

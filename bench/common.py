"""What the measurements share: figures as JSON, with the machine's noise in mind."""

import json
import os
import statistics
import sys
import time
from collections.abc import Callable
from typing import Any

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


def machine_speed() -> float:
    """Milliseconds for a fixed piece of Python: tells how fast the machine is right now."""
    best = []
    for _ in range(5):
        began = time.perf_counter()
        total = 0
        for n in range(200_000):
            total += n & 7
        best.append(1000 * (time.perf_counter() - began))
    return statistics.median(best)


def spread(values: list[float]) -> dict[str, float]:
    ordered = sorted(values)
    return {
        "median": round(statistics.median(ordered), 4),
        "p95": round(ordered[int(0.95 * (len(ordered) - 1))], 4),
        "max": round(ordered[-1], 4),
    }


def timed(times: int, what: Callable[[int], object]) -> dict[str, float]:
    """Milliseconds that ``what`` takes, turn by turn."""
    taken = []
    for n in range(times):
        began = time.perf_counter()
        what(n)
        taken.append(1000 * (time.perf_counter() - began))
    return spread(taken)


def tell(**figures: Any) -> None:
    json.dump({**figures, "machine_ms": round(machine_speed(), 2)}, sys.stdout, indent=1)
    print()

"""What the measurements share: figures as JSON, with the machine's noise in mind."""

import json
import os
import statistics
import sys
import time
from collections.abc import Callable
from typing import Any

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

BARE = """
import sys, time
period, seconds, queue = float(sys.argv[1]), float(sys.argv[2]), float(sys.argv[3])
began = time.perf_counter(); at = lost = 0; worst = 0.0
while at < seconds:
    at += period
    ahead = began + at - time.perf_counter()
    if ahead > 0: time.sleep(ahead)
    late = time.perf_counter() - began - at
    worst = max(worst, late)
    if late > queue: lost += 1; began += late
print(lost, round(1000 * worst, 1))
"""
"""A bare callback: waits for the same clock and does nothing. Period, length and queue in seconds; prints how often it was later
than the queue, and its worst lateness in milliseconds."""


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

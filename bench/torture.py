"""Kills and disk faults at random moments of random runs: what was synced is kept, every file opens, every run is
entered once, a true message says what happened, and the next capture works. Prints its tally as JSON.

    python bench/torture.py [--faults 100] [--courses 100] [--cuts 20] [--kills 100] [--seed 1]

Faults, courses (loops, punches, sound that begins a capture) and power cuts run on the virtual clock, in this process, with a disk that fails as it is told. Kills are SIGKILLs
of the processes of a whole Cattailer.
"""

import argparse
import json
import random
import sys
import tempfile
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))  # for the tests' helpers

from torture_courses import one_course
from torture_disk import one_cut, one_fault
from torture_kills import Victim, one_kill


def main() -> None:
    parser = argparse.ArgumentParser()
    for name, count in (("faults", 100), ("courses", 100), ("cuts", 20), ("kills", 100), ("seed", 1)):
        parser.add_argument(f"--{name}", type=int, default=count)
    wanted = parser.parse_args()
    rng = random.Random(wanted.seed)
    tally: Counter[str] = Counter()
    wrong: list[str] = []

    def note(kind: str, found: list[str]) -> None:
        tally[kind] += 1
        wrong.extend(f"{kind} {tally[kind]}: {text}" for text in found)
        print(f"{sum(tally.values())} {kind} {'; '.join(found) or 'ok'}", file=sys.stderr, flush=True)

    for _ in range(wanted.faults):
        with tempfile.TemporaryDirectory() as folder:
            note(*one_fault(Path(folder), rng))
    for _ in range(wanted.courses):
        with tempfile.TemporaryDirectory() as folder:
            note(*one_course(Path(folder), rng))
    for _ in range(wanted.cuts):
        with tempfile.TemporaryDirectory() as folder:
            note("power cut", one_cut(Path(folder), rng))
    if wanted.kills:
        with tempfile.TemporaryDirectory() as folder:
            victim = Victim(Path(folder))
            try:
                for n in range(wanted.kills):
                    kind = ("engine", "web", "database", "supervisor")[n % 4]
                    note(f"kill {kind}", one_kill(victim, kind, rng))
                wrong += victim.last_look()
            finally:
                victim.end()
    print(json.dumps({"done": dict(tally), "wrong": wrong}, indent=2))
    sys.exit(1 if wrong else 0)


if __name__ == "__main__":
    main()

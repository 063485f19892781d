"""Rehearsals without a fault, and with hum planted at each of the demo's sockets: who is accused, and after how long.

usage: python bench/hum_rehearsals.py [REHEARSALS]
"""

import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from common import spread, tell
from tests.core.advice.test_hum import rehearsed

SECONDS, SINCE_S = 30.0, 5.3


def planted(socket: int) -> tuple[float | None, bool]:
    told = rehearsed(socket, SINCE_S + 14, socket, SINCE_S)
    wrong = any(t < SINCE_S for t, _ in told) or len({words.split(" hums")[0] for _, words in told}) > 1
    return (told[0][0] - SINCE_S if told else None), wrong


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 20
    with ProcessPoolExecutor(2) as pool:
        clean = list(pool.map(rehearsed, range(1, count + 1), [SECONDS] * count))
        found = list(pool.map(planted, range(1, 11)))
    after = [seconds for seconds, _ in found if seconds is not None]
    tell(**{
        "rehearsals": count, "seconds": SECONDS, "accused": sum(bool(told) for told in clean), "planted": len(found),
        "found": len(after), "found_after_s": spread(after), "wrongly_named": sum(wrong for _, wrong in found),
    })


if __name__ == "__main__":
    main()

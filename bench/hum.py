"""Made rows with and without hum: how many are accused, how many found, and what is said where no gap lets it listen.

usage: python bench/hum.py [CASES] [FIRST SEED] [RATE…]
"""

import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial

import numpy as np
from common import tell
from hum_cases import Case, made

from cattailer.core.advice import hum
from cattailer.core.sound.lowend import LowEnd

SECONDS = 8.0
LOUD_DB = 10.0
GAP_S, GAPS_S = 0.4, 0.7
"""A gap lasts that long and all of them together so long, at two times: a fourth of the hum's partial is more than music there."""


@dataclass(frozen=True)
class Heard:
    kind: str
    over_db: float | None
    found: hum.Humming
    right: bool
    gap: bool


def heard(rate_hz: int, seed: int) -> Heard:
    case = made(seed, rate_hz, SECONDS)
    low, low_hz = low_end(case.sound, rate_hz)
    found = hum.find(low, low_hz)
    near = any(abs(found.hz - case.mains_hz) < 0.06 for _ in found.mains_hz) or len(found.mains_hz) == 2
    return Heard(case.kind, case.over_db, found, case.over_db is not None and bool(found.dbfs) and near, _gap(case, rate_hz))


def low_end(row: "np.typing.NDArray[np.float32]", rate_hz: int) -> "tuple[np.typing.NDArray[np.float32], float]":
    low = LowEnd(1, rate_hz)
    low.add(row[None])
    return low.lately, low.rate_hz


def _gap(case: Case, rate_hz: int) -> bool:
    """Whether some partial of the hum can be heard by itself: told from hum and music alone, as nobody else can."""
    if case.over_db is None:
        return False
    partials = case.mains_hz * np.arange(1, int(420 / case.mains_hz) + 1)
    levels = []
    for alone in (case.hum, case.music):
        low, low_hz = low_end(alone.astype(np.float32), rate_hz)
        length, hop = round(0.2 * low_hz), round(0.1 * low_hz)
        frames = np.lib.stride_tricks.sliding_window_view(low[0].astype(float), length)[::hop]
        levels.append(np.abs(frames @ (np.hanning(length)[:, None] * np.exp(-2j * np.pi * partials * np.arange(length)[:, None] / low_hz))))
    own, music = levels
    free = (music < 0.25 * own) & (own > 0.05 * own.max())
    run = round(GAP_S / 0.1) - 1
    begins = np.logical_and.reduce([free[n : len(free) - run + 1 + n] for n in range(run)]).any(axis=1)
    inside = np.convolve(begins, np.ones(run)) > 0
    return bool(inside.mean() > GAPS_S / (SECONDS - 1) and sum(part.any() for part in np.array_split(inside, 4)) >= 2)


def table(rows: list[Heard]) -> dict[str, object]:
    without, loud = [r for r in rows if r.over_db is None], [r for r in rows if r.over_db is not None and r.over_db > LOUD_DB]
    quiet = [r for r in rows if r.over_db is not None and r.over_db <= LOUD_DB]
    clear, covered = [r for r in loud if r.gap], [r for r in loud if not r.gap]
    return {
        "without_hum": len(without), "accused": dict(Counter(r.kind for r in without if r.found.dbfs)),
        "hum_above_10_db_with_gaps": len(clear), "found": sum(r.right for r in clear),
        "missed": dict(Counter(r.kind for r in clear if not r.right)),
        "of_those_said_no_gap": sum(bool(r.found.covered) for r in clear if not r.right),
        "hum_above_10_db_without_gaps": len(covered), "found_there": sum(r.right for r in covered),
        "said_no_gap_there": sum(bool(r.found.covered) for r in covered if not r.right),
        "hum_below_10_db": len(quiet), "found_below": sum(r.right for r in quiet),
        "wrong_frequency": sum(bool(r.found.dbfs) and not r.right for r in rows if r.over_db is not None),
        "no_gap_said_without_hum": dict(Counter(r.kind for r in without if r.found.covered)),
    }


def main() -> None:
    cases = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    rates = [int(rate) for rate in sys.argv[3:]] or [44100, 48000, 96000]
    with ProcessPoolExecutor(2) as pool:
        tell(cases=cases, first_seed=first, rates={
            str(rate): table(list(pool.map(partial(heard, rate), range(first, first + cases), chunksize=20))) for rate in rates
        })


if __name__ == "__main__":
    main()

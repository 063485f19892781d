"""How long effects take on this machine, measured beside what runs."""

import time
from collections.abc import Callable
from functools import lru_cache
from statistics import median

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.effects import Compressor, Effects, Equaliser, Reverb
from cattailer.core.mix.flow import Insert
from cattailer.engine.effects.spaces import Space
from cattailer.engine.effects.strips import Strips

TURNS, MANY, PAUSE_S = 30, 9, 0.002
_EQ = Effects(Equaliser(cut_hz=80.0, low_db=1.0, one_db=1.0, two_db=1.0, high_db=1.0))
_DYN = Effects(dyn=Compressor(threshold_db=-60.0))


@lru_cache(maxsize=32)
def measured(rate_hz: int, period: int) -> tuple[dict[str, float], dict[str, float]]:
    """By kind, in microseconds of a block: for an effect by itself, and for each channel more."""
    alone: dict[str, float] = {}
    channel: dict[str, float] = {}
    for kind, effects in (("eq", _EQ), ("dyn", _DYN)):
        one, many = (_strips(effects, rows, rate_hz, period) for rows in (1, MANY))
        channel[kind] = max(0.0, (many - one) / (MANY - 1))
        alone[kind] = max(0.0, one - channel[kind])
    space = Space(Insert("", 0, 2, Effects(reverb=Reverb())), 0, rate_hz, period)
    alone["reverb"], channel["reverb"] = _timed(space.process, 2, period), 0.0
    return alone, channel


def _strips(effects: Effects, rows: int, rate_hz: int, period: int) -> float:
    strips = Strips([Insert(str(n), n, 1, effects) for n in range(rows)], 0, rate_hz, period)
    return _timed(strips.process, rows, period)


def _timed(process: Callable[[NDArray[np.float32]], None], rows: int, period: int) -> float:
    noise = np.random.default_rng(1).uniform(-0.5, 0.5, (rows, period)).astype(np.float32)
    taken = []
    for _ in range(TURNS):
        block = noise.copy()
        began = time.perf_counter()
        process(block)
        taken.append(1e6 * (time.perf_counter() - began))
        time.sleep(PAUSE_S)
    return median(taken)

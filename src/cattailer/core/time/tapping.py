"""A tempo from taps: a line through all of them, by which missed and doubled ones are told apart."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

LEAST_TAPS = 4
LOWEST_BPM, HIGHEST_BPM = 10.0, 400.0
NEW_START_S, NEW_START_GAPS = 2.5, 6.0
"""Who pauses for longer than both, the second in usual gaps, begins again."""
_SHORTEST_S, _LONGEST_S = 60.0 / HIGHEST_BPM / 1.05, 60.0 / LOWEST_BPM * 1.05
_ROUNDS = 4
_FAR_OFF, _LEAST_FAR_OFF = 4.0, 0.12
"""So many times the usual distance from the line, and so much of a beat, and a tap does not count."""
Doubles = NDArray[np.float64]


@dataclass(frozen=True)
class Tapped:
    """``spread_bpm`` is twice the standard error of ``bpm``; ``used`` of ``taps`` are on the line."""

    bpm: float
    spread_bpm: float
    used: int
    taps: int

    @property
    def rounded(self) -> float:
        return float(round(self.bpm))


@dataclass(frozen=True)
class _Line:
    """Taps at ``beats`` that are so many seconds apart, each ``off_s`` its own; the less it ``costs`` the likelier."""

    period_s: float
    beats: Doubles
    off_s: Doubles
    costs: float


def tapped(times_s: list[float]) -> Tapped | None:
    """The tempo of the newest taps, or None while there are too few or it is none from 10 to 400 bpm."""
    times = _newest(np.unique(np.array(times_s, np.float64)))
    if len(times) < LEAST_TAPS:
        return None
    gaps = np.diff(times)
    usual = np.quantile(gaps, np.linspace(0.05, 0.95, 13))
    periods = np.concatenate([usual, usual / 2.0, usual / 3.0])
    lines = [line for period in periods if (line := _through(times, float(period))) is not None]
    best = min(lines, key=lambda line: line.costs, default=None)
    if best is None:
        return None
    bpm, used = 60.0 / best.period_s, len(best.beats)
    error_s = np.sqrt((best.off_s**2).sum() / max(used - 2, 1) / ((best.beats - best.beats.mean()) ** 2).sum())
    return Tapped(bpm, float(2.0 * bpm * error_s / best.period_s), used, len(times))


def _newest(times: Doubles) -> Doubles:
    """From the last new start on."""
    gaps = np.diff(times)
    if not len(gaps):
        return times
    pauses = np.flatnonzero(gaps > max(NEW_START_S, NEW_START_GAPS * float(np.median(gaps))))
    return times[pauses[-1] + 1 :] if len(pauses) else times


def _through(times: Doubles, period_s: float) -> _Line | None:
    """The line that comes of a guess at the period. None where there is none."""
    # From gap to gap first, as a guess that is a little off would lose count over many.
    beats = np.cumsum(np.append(0.0, np.round(np.diff(times) / period_s)))
    start = times[0]
    for _ in range(_ROUNDS):
        kept = _one_each(beats, np.abs(times - start - beats * period_s))
        if len(kept) < 3:
            return None
        period_s, start = np.polyfit(beats[kept], times[kept], 1)
        if not _SHORTEST_S <= period_s <= _LONGEST_S:
            return None
        beats = np.round((times - start) / period_s)
    off = times - start - beats * period_s
    kept = _one_each(beats, np.abs(off))
    far = max(_FAR_OFF * float(np.median(np.abs(off[kept]))), _LEAST_FAR_OFF * period_s)
    kept = kept[np.abs(off[kept]) <= far]
    if len(kept) < 3:
        return None
    period_s, start = np.polyfit(beats[kept], times[kept], 1)
    off = times[kept] - start - beats[kept] * period_s
    span = float(beats[kept][-1] - beats[kept][0]) + 1.0
    missed, too_many = 1.0 - len(kept) / span, 1.0 - len(kept) / len(times)
    costs = 2.0 * float(np.sqrt((off**2).mean())) / period_s + missed + 1.5 * too_many
    return _Line(float(period_s), beats[kept], off, costs)


def _one_each(beats: Doubles, off: Doubles) -> NDArray[np.intp]:
    """Places of the taps that are nearest to their beats, one for each beat, in order."""
    order = np.lexsort((off, beats))
    first = np.append(True, np.diff(beats[order]) > 0.0)
    return np.sort(order[first])

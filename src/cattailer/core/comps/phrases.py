"""Phrases: stretches of the music by which takes are compared."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from cattailer.core.errors import Refusal
from cattailer.core.time.timeline import TempoMap

BARS, MARKERS, SILENCES = "bars", "markers", "silences"
WAYS = {BARS: "every few bars", MARKERS: "from marker to marker", SILENCES: "between silences of the newest take"}
"""Where phrases come from, in words."""
MOST_PHRASES = 400
LEAST_SILENCE_S, LEAST_PHRASE_S = 0.25, 0.8
SILENT_DBFS = -50.0
"""What is below this for ``LEAST_SILENCE_S`` is a silence between phrases, where the sound is loud; where it is soft,
silence is ``BELOW_PEAK_DB`` below its peak."""
BELOW_PEAK_DB = 34.0

Stretch = tuple[int, int]


def every(tempo: TempoMap, bars: int, start: int, stop: int) -> list[Stretch]:
    """Stretches of so many bars that cover [start, stop), from the bar of ``start`` on. Raises Refusal."""
    if not 1 <= bars <= 64:
        raise Refusal("A phrase has 1 to 64 bars. The phrases stayed as they were.")
    bar = max(1, tempo.bar_beat_at(max(0, start)).bar)
    edges = [tempo.sample_of(bar)]
    while edges[-1] < stop:
        bar += bars
        edges.append(tempo.sample_of(bar))
        _check_count(len(edges))
    return list(zip(edges, edges[1:], strict=False))


def between(places: Sequence[int], start: int, stop: int) -> list[Stretch]:
    """From each place to the next, and what lies before the first and after the last within [start, stop)."""
    edges = sorted({start, stop, *(p for p in places if start < p < stop)})
    _check_count(len(edges))
    return list(zip(edges, edges[1:], strict=False))


def by_silence(peaks: NDArray[np.float64], step: int, rate_hz: int, start: int) -> list[Stretch]:
    """Stretches between silences; ``peaks`` holds the highest amplitude of every ``step`` samples from timeline
    ``start`` on. They meet in the middle of the silences."""
    loudest = float(peaks.max(initial=0.0))
    if loudest <= 0.0:
        return []
    floor = min(10.0 ** (SILENT_DBFS / 20.0), loudest * 10.0 ** (-BELOW_PEAK_DB / 20.0))
    loud = np.flatnonzero(peaks > floor)
    breaks = np.flatnonzero(np.diff(loud) * step >= LEAST_SILENCE_S * rate_hz)
    edges = [start + int(loud[0]) * step]
    for n in breaks:
        middle = start + (int(loud[n]) + 1 + int(loud[n + 1])) * step // 2
        if middle - edges[-1] >= LEAST_PHRASE_S * rate_hz:
            edges.append(middle)
    last = start + (int(loud[-1]) + 1) * step
    if len(edges) > 1 and last - edges[-1] < LEAST_PHRASE_S * rate_hz:
        edges.pop()
    _check_count(len(edges))
    return list(zip(edges, [*edges[1:], last], strict=True))


def around(stretches: Sequence[Stretch], new: Stretch) -> list[Stretch | None]:
    """What becomes of stretches when a new one is drawn over them: each is cut, or None where it is covered whole; one
    that reaches beyond both sides keeps its longer side."""
    out: list[Stretch | None] = []
    for start, stop in stretches:
        if stop <= new[0] or start >= new[1]:
            out.append((start, stop))
            continue
        left, right = (start, min(stop, new[0])), (max(start, new[1]), stop)
        longer = max(left, right, key=lambda s: s[1] - s[0])
        out.append(longer if longer[1] > longer[0] else None)
    return out


def _check_count(count: int) -> None:
    if count > MOST_PHRASES:
        raise Refusal(f"That would make more than {MOST_PHRASES} phrases. Take longer ones; nothing was changed.")

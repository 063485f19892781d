"""How takes compare: where their notes lie, how they are tuned, how loud and how noisy they are."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cattailer.core.comps.levelling import PieceLevel, measured
from cattailer.core.comps.tightening import Drift, drift, spread, to_grid
from cattailer.core.sound.onsets import onsets
from cattailer.core.sound.tuner import hear
from cattailer.core.time.timeline import TempoMap
from cattailer.core.units import milliseconds

NEAR_MS = 120.0
"""Notes of another track further away than this belong to something else."""
STRETCH_BARS, LATE_MS, LEAST_NOTES = 4, 8.0, 3
PITCH_S, LEAST_PITCHES = 0.2, 4


@dataclass(frozen=True)
class TakeFacts:
    """``cents`` is the median against the reference, None where nothing has a clear pitch; ``words`` say where the
    timing changes."""

    drift: Drift
    words: str
    cents: float | None
    level: PieceLevel


_BY_FACTS: dict[str, Callable[[TakeFacts], float]] = {
    "timing": lambda of: abs(of.drift.median_ms), "scatter": lambda of: of.drift.scatter_ms,
    "pitch": lambda of: np.inf if of.cents is None else abs(of.cents), "level": lambda of: -of.level.loudness_lufs,
    "noise": lambda of: of.level.noise_dbfs,
}


@dataclass(frozen=True)
class ComparedTake:
    """``facts`` is None until it was listened to, and where it cannot be."""

    take: int
    number: int
    rating: str
    clips: int
    dropouts: int
    facts: TakeFacts | None


def in_order(takes: Sequence[ComparedTake], by: str) -> list[ComparedTake]:
    """The best of it first, the newest where it makes no difference; what is not known last. ``by`` is "timing",
    "scatter", "pitch", "level", "noise", "clips" or "dropouts"; anything else leaves the newest first."""

    def worth(take: ComparedTake) -> float:
        if by in ("clips", "dropouts"):
            return float(getattr(take, by))
        if by not in _BY_FACTS:
            return 0.0
        return np.inf if take.facts is None else _BY_FACTS[by](take.facts)

    return sorted(takes, key=lambda take: (worth(take), -take.number))


def facts(
    sound: NDArray[np.float32], start: int, tempo: TempoMap, division: int, others: Sequence[int] | None,
    reference_hz: float,
) -> TakeFacts:
    """Of a take that lies from timeline ``start`` on, shape (channels, samples), against the grid or against the notes
    of another track."""
    mono = sound.mean(axis=0)
    notes = [int(n) + start for n in onsets(mono, tempo.rate_hz)]
    if others is None:
        late = [(n, milliseconds(n - to_grid(n, tempo, division), tempo.rate_hz)) for n in notes]
        found = drift(notes, tempo, division)
    else:
        late = against(notes, others, tempo.rate_hz)
        found = spread([ms for _, ms in late])
    cents, level = _cents(mono, tempo.rate_hz, reference_hz), measured(sound, tempo.rate_hz)
    return TakeFacts(found, changes(late, tempo), cents, level)


def against(notes: Sequence[int], others: Sequence[int], rate_hz: int) -> list[tuple[int, float]]:
    """For every note that has one near in ``others``: where it is, and by how many ms it is late."""
    theirs = np.asarray(sorted(others))
    out = []
    for note in notes:
        if len(theirs):
            off = milliseconds(int(note - theirs[np.argmin(np.abs(theirs - note))]), rate_hz)
            if abs(off) <= NEAR_MS:
                out.append((note, off))
    return out


def changes(late: Sequence[tuple[int, float]], tempo: TempoMap) -> str:
    """From which bar on it is late or early throughout, in words; empty where it is neither."""
    stretches: dict[int, list[float]] = {}
    for at, ms in late:
        stretches.setdefault((tempo.bar_beat_at(at).bar - 1) // STRETCH_BARS, []).append(ms)
    medians = [(n, float(np.median(v))) for n, v in sorted(stretches.items()) if len(v) >= LEAST_NOTES]
    for sign, word in ((1.0, "late"), (-1.0, "early")):
        first = len(medians)
        while first and sign * medians[first - 1][1] >= LATE_MS:
            first -= 1
        if first < len(medians):
            off = float(np.median([abs(ms) for n, ms in medians[first:]]))
            where = "throughout" if first == 0 else f"from bar {medians[first][0] * STRETCH_BARS + 1} on"
            return f"{off:.0f} ms {word} {where}"
    return ""


def _cents(mono: NDArray[np.floating], rate_hz: int, reference_hz: float) -> float | None:
    length = round(PITCH_S * rate_hz)
    step = max(length, len(mono) // 60)
    parts = (mono[at : at + length].astype(np.float32) for at in range(0, len(mono) - length, step))
    heard = [hear(part, rate_hz, reference_hz) for part in parts]
    cents = [note.cents for note in heard if note is not None]
    return float(np.median(cents)) if len(cents) >= LEAST_PITCHES else None

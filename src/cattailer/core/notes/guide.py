"""Guide notes: tones by which singers and players find theirs, for ears only."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from fractions import Fraction
from typing import Any

from cattailer.core.time.timeline import TempoMap

LOWEST, HIGHEST = 36, 96
"""MIDI numbers: two octaves below the middle C, and three above."""
MOST_PITCHES, MOST_GUIDES, MOST_BEATS, MOST_BAR = 6, 64, 64, 100_000
MOST_HELD_S = 30.0
"""A key that nobody lets go of sounds so long."""
_NAMES = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "G♯", "A", "B♭", "B")


@dataclass(frozen=True)
class Guide:
    """A note or chord on the timeline, from a beat on for so many beats. Raises ValueError for what cannot be."""

    bar: int
    beat: int
    beats: float
    pitches: tuple[int, ...]

    def __post_init__(self) -> None:
        if not 1 <= self.bar <= MOST_BAR or self.beat < 1:
            raise ValueError("a guide note stands on a beat of bar 1 to 100,000")
        if not 0.0 < self.beats <= MOST_BEATS:
            raise ValueError(f"a guide note lasts up to {MOST_BEATS} beats")
        checked(self.pitches)
        if not self.pitches:
            raise ValueError("a guide note needs at least one key")

    def span(self, tempo: TempoMap) -> tuple[int, int]:
        """[start, stop) in timeline samples."""
        quarter = tempo.quarter_of(self.bar, self.beat)
        length = tempo.meter_of(self.bar).beat_quarters * Fraction(self.beats).limit_denominator(960)
        return tempo.sample_at(quarter), tempo.sample_at(quarter + length)

    @property
    def words(self) -> str:
        return " ".join(name_of(p) for p in self.pitches)

    def to_dict(self) -> dict[str, Any]:
        return asdict(self)


def guides_of(data: Sequence[dict[str, Any]]) -> tuple[Guide, ...]:
    """Raises TypeError or ValueError when ``data`` is no guide notes."""
    return tuple(Guide(**{**d, "pitches": tuple(d["pitches"])}) for d in data)


def checked(pitches: Sequence[int]) -> tuple[int, ...]:
    """In order, each once. Raises ValueError for what the keyboard does not have, and for too many."""
    out = tuple(sorted(set(pitches)))
    if len(out) > MOST_PITCHES:
        raise ValueError(f"up to {MOST_PITCHES} keys sound together")
    if out and not LOWEST <= out[0] <= out[-1] <= HIGHEST:
        raise ValueError(f"the keyboard goes from {name_of(LOWEST)} to {name_of(HIGHEST)}")
    return out


def name_of(pitch: int) -> str:
    """``A4`` is 69."""
    return f"{_NAMES[pitch % 12]}{pitch // 12 - 1}"


def hz_of(pitch: int, reference_hz: float = 440.0) -> float:
    return float(reference_hz * 2.0 ** ((pitch - 69) / 12.0))

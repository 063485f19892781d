"""The click: when it sounds, on what, and for whom."""

from collections.abc import Iterator
from dataclasses import asdict, dataclass
from fractions import Fraction
from typing import Any

from cattailer.core.timeline import TempoMap

WHENS = {"both": ("rolling", "capturing"), "rolling": ("rolling",), "capturing": ("capturing",)}
SOUNDS = ("wood", "beep", "stick")
SUBDIVISIONS = (1, 2, 3, 4)
LOWEST_DB, HIGHEST_DB = -40.0, 0.0
MOST_ACCENT_DB = 18.0
BAR, BEAT, BETWEEN = 0, 1, 2


@dataclass(frozen=True)
class Tick:
    """``kind``: BAR (the first beat), BEAT, or BETWEEN beats."""

    sample: int
    kind: int


@dataclass(frozen=True)
class ClickPlan:
    """``accent_db`` is how much louder the first beat is than the others; ``mixes`` are those that get it, none means
    all; from ``stops_at_bar`` on it is silent, 0 is never.

    Raises ValueError for what there is not.
    """

    when: str = "both"
    sound: str = "wood"
    level_db: float = -12.0
    accent_db: float = 5.0
    subdivision: int = 1
    mixes: tuple[int, ...] = ()
    stops_at_bar: int = 0

    def __post_init__(self) -> None:
        if self.when not in WHENS:
            raise ValueError(f"the click sounds {', '.join(WHENS)}; not {self.when!r}")
        if self.sound not in SOUNDS:
            raise ValueError(f"there is no click called {self.sound!r}")
        if self.subdivision not in SUBDIVISIONS:
            raise ValueError("a beat can be divided by 1, 2, 3 or 4")
        if not LOWEST_DB <= self.level_db <= HIGHEST_DB:
            raise ValueError(f"the click's level lies between {LOWEST_DB:g} and {HIGHEST_DB:g} dB")
        if not 0.0 <= self.accent_db <= MOST_ACCENT_DB:
            raise ValueError(f"the accent lies between 0 and {MOST_ACCENT_DB:g} dB")
        if not 0 <= self.stops_at_bar <= 100_000:
            raise ValueError("the click stops at a bar from 1 to 100,000, or never")

    def sounds_while(self, state: str) -> bool:
        return state in WHENS[self.when]

    def ticks(self, tempo: TempoMap, start: int, stop: int) -> Iterator[Tick]:
        """The ticks whose sample is in [start, stop), in order, exact on the grid."""
        if self.stops_at_bar:
            stop = min(stop, tempo.sample_of(self.stops_at_bar))
        reach = start
        if self.subdivision > 1:  # what lies between beats belongs to the beat before
            at = tempo.bar_beat_at(start)
            reach = tempo.sample_of(at.bar, at.beat)
        for beat in tempo.beats_between(reach, stop):
            if beat.sample >= start:
                yield Tick(beat.sample, BAR if beat.beat == 1 else BEAT)
            quarter, step = tempo.quarter_of(beat.bar, beat.beat), tempo.meter_of(beat.bar).beat_quarters
            for n in range(1, self.subdivision):
                sample = tempo.sample_at(quarter + step * Fraction(n, self.subdivision))
                if start <= sample < stop:
                    yield Tick(sample, BETWEEN)

    def to_dict(self) -> dict[str, Any]:
        return asdict(self)

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> "ClickPlan":
        """Raises TypeError or ValueError when ``data`` is no click."""
        return cls(**{**data, "mixes": tuple(data.get("mixes", ()))})

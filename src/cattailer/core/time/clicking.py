"""The click: when it sounds, on what, and for whom."""

from collections.abc import Iterator
from dataclasses import asdict, dataclass, replace
from fractions import Fraction
from typing import Any

from cattailer.core.time.counting import MOST_BARS
from cattailer.core.time.timeline import TempoMap
from cattailer.core.transport import CAPTURING, captures, plays

WHENS = {"both": ("rolling", "capturing"), "capturing": ("capturing",), "rolling": ("rolling",)}
"""When the click sounds: in which states of the transport."""

SOUNDS = ("wood", "beep", "stick")
SUBDIVISIONS = (1, 2, 3, 4)
COUNTS = {"capturing": ("capturing",), "both": ("rolling", "capturing")}
"""Before what is counted in."""

COUNT_SOUNDS = {"click": "the click", "voice": "a voice"}
MOST_SILENCES = 100
END = 1 << 30
USUAL_COUNTS = (0, 1, 2, 4)
LOWEST_DB, HIGHEST_DB = -40.0, 0.0
MOST_ACCENT_DB = 18.0
STRONG, PLAIN, BETWEEN = 0, 1, 2
KIND_OF = {"strong": STRONG, "plain": PLAIN, "soft": BETWEEN, "off": None}
MOST_BEATS = 16


@dataclass(frozen=True)
class Tick:
    """``kind``: STRONG, PLAIN, or BETWEEN beats (a soft beat too); ``beat`` is the beat it belongs to, from 1."""

    sample: int
    kind: int
    beat: int = 1


@dataclass(frozen=True)
class ClickSettings:
    """``accent_db`` is how much louder strong beats are than plain ones, ``between_db`` how much softer what lies
    between beats is. ``beats`` says of each beat of a bar whether it is "strong", "plain", "soft" or "off"; beyond it
    they are plain, and without it the first is strong. ``mixes`` are those that get the click, none means all.

    ``silences`` are (from bar, until before bar) in which there is no click; 0 as the second is until the end.
    ``count_bars`` are counted before a capture, or before rolling too (``count_when``), by the click or a voice,
    whether or not the click goes on after them.

    Raises ValueError for what there is not.
    """

    when: str = "both"
    sound: str = "wood"
    level_db: float = -12.0
    accent_db: float = 5.0
    subdivision: int = 1
    between_db: float = 6.0
    beats: tuple[str, ...] = ()
    mixes: tuple[int, ...] = ()
    silences: tuple[tuple[int, int], ...] = ()
    count_bars: int = 0
    count_when: str = "capturing"
    count_sound: str = "click"

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
        if not 0.0 <= self.between_db <= MOST_ACCENT_DB:
            raise ValueError(f"between beats it is 0 to {MOST_ACCENT_DB:g} dB softer")
        if len(self.beats) > MOST_BEATS or not set(self.beats) <= set(KIND_OF):
            raise ValueError(f"a beat is {', '.join(KIND_OF)}; up to {MOST_BEATS} can be chosen")
        if not 0 <= self.count_bars <= MOST_BARS:
            raise ValueError(f"0 to {MOST_BARS} bars can be counted in, not {self.count_bars}")
        if self.count_when not in COUNTS or self.count_sound not in COUNT_SOUNDS:
            raise ValueError("there is no such count-in")
        if len(self.silences) > MOST_SILENCES:
            raise ValueError(f"the click can be silent in {MOST_SILENCES} places at most")
        for first, until in self.silences:
            if not 1 <= first <= 100_000 or not (until == 0 or first < until <= 100_000):
                raise ValueError("the click is silent from a bar (1 to 100,000) until a later one, or until the end")

    def sounds_while(self, state: str) -> bool:
        """Before and after a punch it sounds as in it."""
        return plays(state) and (CAPTURING if captures(state) else state) in WHENS[self.when]

    def counts_before(self, state: str) -> int:
        """How many bars are counted before rolling or capturing begins."""
        return self.count_bars if state == "capturing" or self.count_when == "both" else 0

    def beat_is(self, beat: int) -> str:
        """What a beat of the bar (from 1) is."""
        if beat <= len(self.beats):
            return self.beats[beat - 1]
        return "strong" if beat == 1 and not self.beats else "plain"

    def with_beat_stepped(self, beat: int, of: int) -> "ClickSettings":
        """A beat of a bar of ``of`` beats made what comes next: strong, plain, soft, off, and strong again."""
        names = list(KIND_OF)
        beats = [self.beat_is(n) for n in range(1, min(of, MOST_BEATS) + 1)]
        if not 1 <= beat <= len(beats):
            raise ValueError(f"there is no beat {beat} in this meter")
        beats[beat - 1] = names[(names.index(beats[beat - 1]) + 1) % len(names)]
        return replace(self, beats=tuple(beats))

    def silent_in(self, bar: int) -> bool:
        return any(first <= bar and (until == 0 or bar < until) for first, until in self.silences)

    def ticks(self, tempo: TempoMap, start: int, stop: int) -> Iterator[Tick]:
        """The ticks whose sample is in [start, stop), in order, exact on the grid."""
        reach = start
        if self.subdivision > 1:  # what lies between beats belongs to the beat before
            at = tempo.bar_beat_at(start)
            reach = tempo.sample_of(at.bar, at.beat)
        for beat in tempo.beats_between(reach, stop):
            if self.silences and self.silent_in(beat.bar):
                continue
            kind = KIND_OF[self.beat_is(beat.beat)]
            if beat.sample >= start and kind is not None:
                yield Tick(beat.sample, kind, beat.beat)
            quarter, step = tempo.quarter_of(beat.bar, beat.beat), tempo.meter_of(beat.bar).beat_quarters
            for n in range(1, self.subdivision):
                sample = tempo.sample_at(quarter + step * Fraction(n, self.subdivision))
                if start <= sample < stop:
                    yield Tick(sample, BETWEEN, beat.beat)

    def silenced(self, first: int, until: int) -> "ClickSettings":
        """With one more stretch of bars without click; stretches that touch become one."""
        made = replace(self, silences=((first, until),))  # for its checks
        low, high = first, until or END
        kept = []
        for a, b in self.silences:
            if a <= high and low <= (b or END):
                low, high = min(low, a), max(high, b or END)
            else:
                kept.append((a, b))
        return replace(made, silences=tuple(sorted([*kept, (low, 0 if high == END else high)])))

    @property
    def next_count(self) -> int:
        """What stepping through the usual count-ins comes to next."""
        return next((n for n in USUAL_COUNTS if n > self.count_bars), 0)

    def to_dict(self) -> dict[str, Any]:
        return asdict(self)

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> "ClickSettings":
        """Raises TypeError or ValueError when ``data`` is no click."""
        silences = tuple((int(a), int(b)) for a, b in data.get("silences", ()))
        lists = {name: tuple(data.get(name, ())) for name in ("mixes", "beats")}
        return cls(**{**data, **lists, "silences": silences})

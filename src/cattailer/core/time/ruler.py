"""The ruler: bars, or minutes and seconds; places as people type them, and the ticks that it draws."""

import re
from dataclasses import dataclass
from fractions import Fraction

from cattailer.core.time.place import Place, place_at
from cattailer.core.time.timeline import TempoMap, clock_text

BARS, TIME = "bars", "time"
RULERS = {BARS: "bars", TIME: "minutes"}
"""What it can count, in words."""
WINDOW_BARS, WINDOW_S = 16, 32
_TIME = re.compile(r"(?:(\d+):)?(\d+):(\d{1,2}(?:\.\d{1,9})?)|(\d+(?:\.\d{1,9})?)\s*s", re.IGNORECASE)
_BAR = re.compile(r"(?:bar\s*)?(\d{1,6})(?:\.(\d{1,2}))?", re.IGNORECASE)


def place(typed: str, tempo: TempoMap, until: bool = False) -> int:
    """The timeline position of what is typed, as ``read`` reads it; as the end of a stretch (``until``) a bar or a beat
    is included. Raises ValueError, in words, for what is none."""
    return read(typed, tempo).sample(tempo, until)


def read(typed: str, tempo: TempoMap) -> Place:
    """"12" (a bar), "12.3" (its third beat), "1:05.25" or "65 s". Raises ValueError, in words, for what is none."""
    text = typed.strip().replace(",", ".")
    if found := _TIME.fullmatch(text):
        hours, minutes, seconds, alone = found.groups()
        if not alone and (Fraction(seconds) >= 60 or (hours and int(minutes) >= 60)):
            raise ValueError(f"{typed!r} is not a valid time: a minute has 60 seconds, and an hour 60 minutes")
        whole = Fraction(alone) if alone else 3600 * int(hours or 0) + 60 * int(minutes) + Fraction(seconds)
        return Place(seconds=whole)
    found = _BAR.fullmatch(text)
    bar, beat = (int(found[1]), int(found[2] or 0)) if found else (0, 0)
    if not 1 <= bar <= 100_000:
        raise ValueError(f"{typed!r} is no place: type a bar (12), a bar and beat (12.3), or a time (1:05.2)")
    if beat > tempo.meter_of(bar).beats:
        raise ValueError(f"bar {bar} has {tempo.meter_of(bar).beats} beats, not {beat}")
    return Place(bar, beat)


def reread(typed: str, shown: str, kept: Place, tempo: TempoMap) -> Place:
    """An end that was typed again; one that still reads as it was ``shown`` is kept, for it may be shown less exactly,
    or as nobody can type it. Raises ValueError, in words, for what is none."""
    text = typed.strip()
    return kept if text and text == shown else read(text, tempo)


def words(sample: int, tempo: TempoMap, ruler: str = BARS, until: bool = False) -> str:
    """As ``place`` reads it: a bar or a beat where it is on one and the ruler counts bars, a time otherwise."""
    found = place_at(sample, tempo, until) if ruler == BARS else Place(seconds=Fraction(sample, tempo.rate_hz))
    return found.words(tempo)


@dataclass(frozen=True)
class Tick:
    """A line of the ruler at a timeline position; ``label`` is empty where none is written."""

    sample: int
    label: str
    long: bool


def page(tempo: TempoMap, ruler: str, position: int) -> list[Tick]:
    """The ticks of the page that holds a position, and the one that ends it."""
    if ruler == TIME:
        first = position // tempo.rate_hz // WINDOW_S * WINDOW_S
        return [
            Tick(s * tempo.rate_hz, clock_text(s * tempo.rate_hz, tempo.rate_hz).removesuffix(".000"), s % 4 == 0)
            for s in range(first, first + WINDOW_S + 1)
        ]
    first = (tempo.bar_beat_at(position).bar - 1) // WINDOW_BARS * WINDOW_BARS + 1
    return [
        Tick(tempo.sample_of(bar), f"bar {bar}", (bar - 1) % 4 == 0) for bar in range(first, first + WINDOW_BARS + 1)
    ]

"""Where things stand in time: exact samples, exact bars and beats.

Musical time is counted in quarters as fractions; a tempo map turns it into samples. Nothing is
accumulated in floating point, so bar 10,000 is as exact as bar 1.
"""

import bisect
import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

TICKS_PER_QUARTER = 960
MAX_BPM = 400
MIN_BPM = 10
BEAT_UNITS = (1, 2, 4, 8, 16, 32)
BEFORE_ZERO_S = 60
"""So far before 0 the timeline reaches: what was counted in before bar 1 lies there."""


@dataclass(frozen=True)
class Tempo:
    """From ``quarter`` on, ``bpm`` quarters a minute; with ``ramp`` changing evenly, by the quarter, until the next
    tempo is reached there."""

    quarter: Fraction
    bpm: Fraction
    ramp: bool = False


@dataclass(frozen=True)
class Meter:
    """From bar ``bar`` (counted from 1) on, ``beats`` beats of a 1/``unit`` note each."""

    bar: int
    beats: int
    unit: int

    @property
    def beat_quarters(self) -> Fraction:
        return Fraction(4, self.unit)

    @property
    def bar_quarters(self) -> Fraction:
        return self.beats * self.beat_quarters


@dataclass(frozen=True)
class BarBeat:
    """Bar and beat from 1, and ticks of 1/960 quarter within the beat; ``of`` beats in the bar."""

    bar: int
    beat: int
    tick: int
    of: int


@dataclass(frozen=True)
class Beat:
    """One beat of the grid: its sample, bar and beat number."""

    sample: int
    bar: int
    beat: int


@dataclass(frozen=True)
class TempoMap:
    """Tempi and meters over the timeline; bar 1, beat 1 stands at sample ``bar_one``, or at ``bar_one_s``
    where that is given: its time, exact at any rate.

    Raises ValueError for a tempo outside 10 to 400, a meter without beats or with a beat unit
    that is no power of two up to 32, or entries that are out of order or do not begin at the start.
    """

    rate_hz: int
    tempi: tuple[Tempo, ...] = (Tempo(Fraction(0), Fraction(120)),)
    meters: tuple[Meter, ...] = (Meter(1, 4, 4),)
    bar_one: int = 0
    bar_one_s: Fraction | None = None
    _starts: tuple[Fraction, ...] = field(init=False, repr=False, compare=False)
    _seconds: tuple[Fraction, ...] = field(init=False, repr=False, compare=False)
    _quarters: tuple[Fraction, ...] = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        if not self.tempi or self.tempi[0].quarter != 0:
            raise ValueError("the tempo map must begin at the start of the timeline")
        if not self.meters or self.meters[0].bar != 1:
            raise ValueError("the first meter must begin at bar 1")
        for tempo in self.tempi:
            if not MIN_BPM <= tempo.bpm <= MAX_BPM:
                raise ValueError(f"tempo must be {MIN_BPM} to {MAX_BPM} a minute, not {tempo.bpm}")
        for meter in self.meters:
            if not 1 <= meter.beats <= 64 or meter.unit not in BEAT_UNITS:
                raise ValueError(f"no such meter: {meter.beats}/{meter.unit}")
        if any(b.quarter <= a.quarter for a, b in zip(self.tempi, self.tempi[1:], strict=False)):
            raise ValueError("tempo changes must follow one another")
        if any(b.bar <= a.bar for a, b in zip(self.meters, self.meters[1:], strict=False)):
            raise ValueError("meter changes must follow one another")
        seconds = [Fraction(0)]
        for a, b in zip(self.tempi, self.tempi[1:], strict=False):
            seconds.append(seconds[-1] + _seconds_within(a, b, b.quarter - a.quarter))
        quarters = [Fraction(0)]
        for m, n in zip(self.meters, self.meters[1:], strict=False):
            quarters.append(quarters[-1] + (n.bar - m.bar) * m.bar_quarters)
        if self.bar_one_s is None:
            object.__setattr__(self, "bar_one_s", Fraction(self.bar_one, self.rate_hz))
        else:
            object.__setattr__(self, "bar_one", int((2 * self.bar_one_s * self.rate_hz + 1) // 2))
        object.__setattr__(self, "_starts", tuple(t.quarter for t in self.tempi))
        object.__setattr__(self, "_seconds", tuple(seconds))
        object.__setattr__(self, "_quarters", tuple(quarters))

    def sample_at(self, quarter: Fraction) -> int:
        """The sample of a musical position, rounded half up; negative before bar 1."""
        i = max(0, bisect.bisect_right(self._starts, quarter) - 1)
        seconds = self._seconds[i] + _seconds_within(self.tempi[i], self._after(i), quarter - self.tempi[i].quarter)
        return (2 * seconds * self.rate_hz + 1) // 2 + self.bar_one

    def quarter_at(self, sample: int) -> Fraction:
        """The exact musical position of a sample."""
        seconds = Fraction(sample - self.bar_one, self.rate_hz)
        i = max(0, bisect.bisect_right(self._seconds, seconds) - 1)
        return self.tempi[i].quarter + _quarters_within(self.tempi[i], self._after(i), seconds - self._seconds[i])

    def _after(self, i: int) -> Tempo | None:
        return self.tempi[i + 1] if i + 1 < len(self.tempi) else None

    def bpm_at(self, quarter: Fraction) -> float:
        """The tempo at a musical position."""
        i = max(0, bisect.bisect_right(self._starts, quarter) - 1)
        tempo, after = self.tempi[i], self._after(i)
        if not tempo.ramp or after is None:
            return float(tempo.bpm)
        share = (quarter - tempo.quarter) / (after.quarter - tempo.quarter)
        return float(tempo.bpm + share * (after.bpm - tempo.bpm))

    def quarter_of(self, bar: int, beat: int = 1, tick: int = 0) -> Fraction:
        """The musical position of bar, beat and tick."""
        i = max((k for k, m in enumerate(self.meters) if m.bar <= bar), default=0)
        meter = self.meters[i]
        start = self._quarters[i] + (bar - meter.bar) * meter.bar_quarters
        return start + (beat - 1) * meter.beat_quarters + Fraction(tick, TICKS_PER_QUARTER)

    def sample_of(self, bar: int, beat: int = 1, tick: int = 0) -> int:
        return self.sample_at(self.quarter_of(bar, beat, tick))

    def bar_beat_at(self, sample: int) -> BarBeat:
        """The bar, beat and tick that hold a sample: the last beat of the grid at or before it."""
        quarter = self.quarter_at(sample)
        # The grid is rounded to samples: a sample on a beat belongs to that beat.
        found = self._bar_beat(quarter)
        after = self._bar_beat(quarter + Fraction(1, TICKS_PER_QUARTER))
        if (after.bar, after.beat) != (found.bar, found.beat):
            if self.sample_of(after.bar, after.beat) <= sample:
                return BarBeat(after.bar, after.beat, 0, after.of)
        elif found.tick == 0 and self.sample_of(found.bar, found.beat) > sample:
            return self._bar_beat(quarter - Fraction(1, TICKS_PER_QUARTER))
        return found

    def _bar_beat(self, quarter: Fraction) -> BarBeat:
        i = max((k for k, q in enumerate(self._quarters) if q <= quarter), default=0)
        meter = self.meters[i]
        beats, rest = divmod(quarter - self._quarters[i], meter.beat_quarters)
        bars, beat = divmod(int(beats), meter.beats)
        tick = int(rest * TICKS_PER_QUARTER)
        return BarBeat(meter.bar + bars, beat + 1, tick, meter.beats)

    def beats_between(self, start: int, stop: int) -> Iterator[Beat]:
        """The beats whose sample is in [start, stop), in order."""
        at = self.bar_beat_at(start)
        bar, beat = at.bar, at.beat
        while True:
            sample = self.sample_of(bar, beat)
            if sample >= stop:
                return
            if sample >= start:
                yield Beat(sample, bar, beat)
            beat += 1
            if beat > self.meter_of(bar).beats:
                bar, beat = bar + 1, 1

    def meter_of(self, bar: int) -> Meter:
        """The meter of a bar."""
        return max((m for m in self.meters if m.bar <= bar), key=lambda m: m.bar, default=self.meters[0])

    def to_dict(self) -> dict[str, Any]:
        """Plain values for messages and storage; fractions as text."""
        return {
            "tempi": [[str(t.quarter), str(t.bpm), *(["ramp"] if t.ramp else [])] for t in self.tempi],
            "meters": [[m.bar, m.beats, m.unit] for m in self.meters],
            "bar_one": self.bar_one, "bar_one_s": str(self.bar_one_s),
        }

    @classmethod
    def from_dict(cls, rate_hz: int, data: dict[str, Any]) -> "TempoMap":
        return cls(
            rate_hz,
            tuple(Tempo(Fraction(q), Fraction(b), bool(ramp)) for q, b, *ramp in data["tempi"]),
            tuple(Meter(*m) for m in data["meters"]), int(data.get("bar_one", 0)),
            Fraction(data["bar_one_s"]) if "bar_one_s" in data else None,
        )


def _seconds_within(tempo: Tempo, after: Tempo | None, quarters: Fraction) -> Fraction:
    """Seconds from a tempo's beginning to a number of quarters later.

    A steady tempo is exact. On a ramp the tempo is a straight line over the quarters, so the time is its
    inverse integrated: 60/k · ln(1 + k·q/b), ``b`` the tempo and ``k`` its slope.
    """
    if not tempo.ramp or after is None or after.bpm == tempo.bpm or quarters < 0:
        return quarters * 60 / tempo.bpm
    slope = float((after.bpm - tempo.bpm) / (after.quarter - tempo.quarter))
    return Fraction(60.0 / slope * math.log1p(slope * float(quarters) / float(tempo.bpm)))


def _quarters_within(tempo: Tempo, after: Tempo | None, seconds: Fraction) -> Fraction:
    """The way back: b/k · (exp(k·t/60) - 1)."""
    if not tempo.ramp or after is None or after.bpm == tempo.bpm or seconds < 0:
        return seconds * tempo.bpm / 60
    slope = float((after.bpm - tempo.bpm) / (after.quarter - tempo.quarter))
    return Fraction(float(tempo.bpm) / slope * math.expm1(slope * float(seconds) / 60.0))


def clock_text(sample: int, rate_hz: int) -> str:
    """A position as minutes, seconds and milliseconds ("00:41.318"), hours when there are any."""
    sign = "-" if sample < 0 else ""
    ms = abs(sample) * 1000 // rate_hz
    minutes, ms = divmod(ms, 60_000)
    hours, minutes = divmod(minutes, 60)
    head = f"{hours}:" if hours else ""
    return f"{sign}{head}{minutes:02}:{ms // 1000:02}.{ms % 1000:03}"

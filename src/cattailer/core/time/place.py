"""A place of the timeline as it was given: a bar, a beat of it, or a time."""

from dataclasses import dataclass
from fractions import Fraction

from cattailer.core.time.timeline import TempoMap, clock_text

_TIME, _LIES = "time ", "lies "


@dataclass(frozen=True)
class Place:
    """A ``bar``, with ``beat`` 0 for the whole of it; or ``seconds`` of the timeline, which nobody typed where it
    ``lies`` so, as a take does. As the end of a stretch a bar or a beat is included."""

    bar: int = 0
    beat: int = 0
    seconds: Fraction | None = None
    lies: bool = False

    def sample(self, tempo: TempoMap, until: bool = False) -> int:
        """Rounded half up. A beat that its bar has lost meanwhile is the last one that it has."""
        if self.seconds is not None:
            return int((2 * self.seconds * tempo.rate_hz + 1) // 2)
        if not self.beat:
            return tempo.sample_of(self.bar + until)
        return tempo.sample_of(self.bar, min(self.beat, tempo.meter_of(self.bar).beats) + until)

    def words(self, tempo: TempoMap, bars: bool = True, until: bool = False) -> str:
        """As people type it: "12", "12.3", "1:05.25"; times down to a millisecond. Where nobody typed a time, and
        ``bars`` are counted, the bar on whose line it is."""
        if self.lies and bars:
            line = place_at(self.sample(tempo), tempo, until)
            if line.seconds is None and not line.beat:
                return line.words(tempo)
        if self.seconds is None:
            return f"{self.bar}.{self.beat}" if self.beat else str(self.bar)
        text = clock_text(self.sample(tempo), tempo.rate_hz)
        return text.removesuffix(".000") if self.seconds * 1000 % 1 == 0 else text

    def to_text(self) -> str:
        """For storage, exact."""
        if self.seconds is None:
            return f"{self.bar}.{self.beat}"
        return f"{_LIES if self.lies else _TIME}{self.seconds}"

    @classmethod
    def from_text(cls, text: str) -> "Place":
        """Raises ValueError for what ``to_text`` does not write."""
        if text.startswith((_TIME, _LIES)):
            return cls(seconds=Fraction(text[len(_TIME) :]), lies=text.startswith(_LIES))
        bar, _, beat = text.partition(".")
        return cls(int(bar), int(beat))


def as_given(text: str, sample: int, tempo: TempoMap, until: bool = False) -> Place:
    """An end at a sample as a ``text`` for storage has it; as it is in the map where that is empty, or is elsewhere."""
    given = Place.from_text(text) if text else None
    return given if given and given.sample(tempo, until) == sample else place_at(sample, tempo, until)


def place_at(sample: int, tempo: TempoMap, until: bool = False) -> Place:
    """The bar or the beat whose line is at a sample, or its time; with ``until`` the one that ends there."""
    at = tempo.bar_beat_at(sample)
    if tempo.sample_of(at.bar, at.beat) != sample:
        return Place(seconds=Fraction(sample, tempo.rate_hz))
    if at.beat > 1:
        return Place(at.bar, at.beat - until)
    return Place(at.bar - until)

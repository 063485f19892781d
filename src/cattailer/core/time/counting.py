"""The count-in: bars counted before a position, in the tempo and meter that hold there."""

from dataclasses import dataclass
from fractions import Fraction

from cattailer.core.time.timeline import Meter, Tempo, TempoMap

MOST_BARS = 16


@dataclass(frozen=True)
class CountIn:
    """Counting fills [start, stop): whole bars, and what lies between the last bar line and ``stop``.

    ``grid`` is a map of its own, steady, whose bar 1 is the bar in which ``stop`` stands; what is counted are the
    bars before it. A change of tempo just before ``stop`` therefore does not reach into the count.
    """

    grid: TempoMap
    bars: int
    start: int
    stop: int

    @property
    def samples(self) -> int:
        return self.stop - self.start

    def words(self, position: int) -> str:
        """When it begins, and the beat: "in 2 bars · beat 1 of 3"."""
        at = self.grid.bar_beat_at(max(position, self.start))
        left = 1 - at.bar
        when = f"in {left} {'bar' if left == 1 else 'bars'}" if left > 0 else "now"
        return f"{when} · beat {at.beat} of {at.of}"


def count_in(tempo: TempoMap, position: int, bars: int) -> CountIn:
    """``bars`` bars before ``position``, which may be anywhere, in the middle of a bar too.

    Raises ValueError outside 1 to 16 bars.
    """
    if not 1 <= bars <= MOST_BARS:
        raise ValueError(f"a count-in has 1 to {MOST_BARS} bars, not {bars}")
    at = tempo.bar_beat_at(position)
    bar_line = tempo.quarter_of(at.bar)
    quarter = bar_line if tempo.sample_at(bar_line) == position else tempo.quarter_at(position)
    meter = tempo.meter_of(at.bar)
    bpm = Fraction(tempo.bpm_at(quarter)).limit_denominator(10_000)
    after = (quarter - bar_line) * 60 / bpm * tempo.rate_hz
    grid = TempoMap(
        tempo.rate_hz, (Tempo(Fraction(0), bpm),), (Meter(1, meter.beats, meter.unit),),
        position - int((2 * after + 1) // 2),
    )
    return CountIn(grid, bars, grid.sample_of(1 - bars), position)

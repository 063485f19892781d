"""What the built-in pattern player plays: beat, bass and pad, bar by bar, in any meter."""

from dataclasses import dataclass
from fractions import Fraction

from cattailer.core.time.timeline import Meter

CHORDS = ((50, 53, 57), (53, 57, 60), (48, 52, 55), (55, 58, 62))
"""Four bars that come round and round: D minor, F, C, G minor (MIDI pitches)."""

LOW, BRUSH, SHAKER = 36, 40, 70


@dataclass(frozen=True)
class Hit:
    """One sound: ``quarter`` into the bar, MIDI ``pitch`` (or one of the drums), force 0 to 1."""

    voice: str
    quarter: Fraction
    quarters: Fraction
    pitch: int
    force: float


def bar_of(number: int, meter: Meter) -> tuple[Hit, ...]:
    """The sounds of bar ``number`` (counted from 1)."""
    beat, beats = meter.beat_quarters, meter.beats
    chord = CHORDS[(number - 1) % len(CHORDS)]
    hits = []
    for n in range(beats):
        heavy = n == 0 or (beats >= 4 and beats % 2 == 0 and n == beats // 2)
        hits.append(Hit("beat", n * beat, beat, LOW if heavy else BRUSH, 1.0 if n == 0 else 0.75 if heavy else 0.5))
        hits.append(Hit("beat", n * beat + beat / 2, beat / 2, SHAKER, 0.4))
    hold = meter.bar_quarters - beat if beats > 1 else meter.bar_quarters
    hits.append(Hit("bass", Fraction(0), hold, chord[0] - 12, 0.9))
    if beats > 1:
        hits.append(Hit("bass", hold, beat, chord[2] - 12, 0.7))
    hits += [Hit("pad", Fraction(0), meter.bar_quarters, pitch + 12, 0.5) for pitch in chord]
    return tuple(hits)

"""Where an edit lands: on a bar, on a beat, where the sound crosses zero, or exactly where it was asked for."""

import numpy as np
from numpy.typing import NDArray

from cattailer.core.errors import Refusal
from cattailer.core.time.timeline import TempoMap

OFF, BARS, BEATS, ZERO = "off", "bars", "beats", "zero"
SNAPS = {OFF: "anywhere", BARS: "bars", BEATS: "beats", ZERO: "zero crossings"}
ZERO_REACH_S = 0.005
"""How far a zero crossing is looked for, either way."""
BAR, BEAT, MS, SAMPLE = "bar", "beat", "ms", "sample"
UNITS = {BAR: "a bar", BEAT: "a beat", MS: "a millisecond", SAMPLE: "a sample"}
MOST_STEPS = 10_000


def on_grid(at: int, snap: str, tempo: TempoMap) -> int:
    """The nearest bar or beat; with any other way, ``at`` itself. Raises Refusal for a way that does not exist."""
    if snap not in SNAPS:
        raise Refusal(f"Edits land on {', '.join(SNAPS.values())}. Nothing was changed.")
    if snap not in (BARS, BEATS):
        return at
    here = tempo.bar_beat_at(at)
    if snap == BARS:
        near = [tempo.sample_of(here.bar), tempo.sample_of(here.bar + 1)]
    else:
        near = [tempo.sample_of(here.bar, here.beat), tempo.sample_of(here.bar, here.beat + 1)]
    return min(near, key=lambda s: abs(s - at))


def at_zero(at: int, start: int, sound: NDArray[np.floating]) -> int:
    """The zero crossing nearest to ``at`` in sound that begins at timeline ``start``, shape (samples,); ``at`` where
    there is none. A crossing is the first sample on the other side, or one that is 0."""
    signs = np.signbit(sound)
    crossings = np.flatnonzero((signs[1:] != signs[:-1]) | (sound[1:] == 0.0)) + 1 + start
    return int(crossings[np.argmin(np.abs(crossings - at))]) if len(crossings) else at


def step(at: int, count: int, unit: str, tempo: TempoMap) -> int:
    """How many samples a step of so many units is at ``at``. Raises Refusal."""
    if unit not in UNITS or not -MOST_STEPS <= count <= MOST_STEPS:
        raise Refusal(f"A piece moves by {', '.join(UNITS.values())} at a time. Nothing was moved.")
    if unit == SAMPLE:
        return count
    if unit == MS:
        return round(count * tempo.rate_hz / 1000.0)
    here = tempo.quarter_at(at)
    meter = tempo.meter_of(max(1, tempo.bar_beat_at(at).bar))
    quarters = meter.bar_quarters if unit == BAR else meter.beat_quarters
    return tempo.sample_at(here + count * quarters) - at

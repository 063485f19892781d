"""The tuner: which note a row plays, and how far off it is."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft

NAMES = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "G♯", "A", "B♭", "B")
LOWEST_HZ, HIGHEST_HZ = 25.0, 4400.0
WINDOW_S = 0.2
CLEAR = 0.8
LEAST_DBFS = -65.0
IN_TUNE_CENTS = 5.0
"""Closer than this, nobody hears a beat within a note."""


Floats = NDArray[np.float32]
Doubles = NDArray[np.float64]


@dataclass(frozen=True)
class Note:
    """``clarity`` is how strictly the sound repeats, 0 to 1."""

    name: str
    octave: int
    cents: float
    hz: float
    clarity: float

    @property
    def in_tune(self) -> bool:
        return abs(self.cents) <= IN_TUNE_CENTS


def note_of(hz: float, reference_hz: float = 440.0, clarity: float = 1.0) -> Note:
    """The nearest note of equal temperament; ``cents`` is positive when sharp."""
    semitones = 69.0 + 12.0 * math.log2(hz / reference_hz)
    nearest = round(semitones)
    return Note(NAMES[nearest % 12], nearest // 12 - 1, 100.0 * (semitones - nearest), hz, clarity)


def hear(sound: Floats, rate_hz: int, reference_hz: float = 440.0) -> Note | None:
    """The note in a mono stretch (0.2 s is enough for 27.5 Hz), or None when there is no clear one.

    The period is where the normalised square difference function first comes near its best (McLeod and
    Wyvill, "A smarter way to find pitch", 2005); it is then read at ever larger multiples of
    itself, so that one sample's error is shared by many periods.
    """
    x = sound.astype(np.float64)
    x -= x.mean()
    power = float(x @ x) / max(1, len(x))
    if power <= 10.0 ** (LEAST_DBFS / 10.0) or not math.isfinite(power):
        return None
    same = _likeness(x)
    lag = _first_period(same, rate_hz)
    if lag is None:
        return None
    clarity = float(same[round(lag)])
    return note_of(rate_hz / _refined(same, lag, len(x)), reference_hz, clarity)


def _likeness(x: Doubles) -> Doubles:
    """The normalised square difference function: 1 where a shift by ``lag`` changes nothing."""
    size = fft.next_fast_len(2 * len(x), real=True)
    spectrum = fft.rfft(x, size)
    both = fft.irfft(np.abs(spectrum) ** 2, size)[: len(x)]
    squares = np.concatenate([[0.0], np.cumsum(x * x)])
    lags = np.arange(len(x))
    energy = squares[len(x) - lags] + squares[len(x)] - squares[lags]
    return np.asarray(2.0 * both / np.maximum(energy, 1e-30))


def _first_period(same: Doubles, rate_hz: int) -> float | None:
    low, high = int(rate_hz / HIGHEST_HZ), min(int(rate_hz / LOWEST_HZ) + 1, len(same) * 9 // 10)
    below = np.flatnonzero(same[:high] < 0.0)
    if not len(below):
        return None
    start = max(low, int(below[0]))
    middle = same[start + 1 : high]
    tops = start + 1 + np.flatnonzero((middle > same[start : high - 1]) & (middle >= same[start + 2 : high + 1]))
    tops = tops[same[tops] > 0.0]
    if not len(tops):
        return None
    heights = np.array([_parabola(same, int(t))[1] for t in tops])
    best = float(heights.max())
    if best < CLEAR:
        return None
    return _parabola(same, int(tops[heights >= 0.93 * best][0]))[0]


def _refined(same: Doubles, lag: float, length: int) -> float:
    """The period, read at its multiples as far as the sound still repeats there."""
    period, times = lag, 1
    while True:
        following = times * 2
        expected = period * following
        if expected > 0.5 * length:
            break
        reach = max(1, int(0.2 * period))
        at = round(expected)
        near = same[at - reach : at + reach + 1]
        top = at - reach + int(near.argmax())
        if not 0 < top < len(same) - 1 or same[top] < CLEAR:
            break
        place, _ = _parabola(same, top)
        if abs(place / following - period) > 0.02 * period:
            break
        period, times = place / following, following
    return period


def _parabola(curve: Doubles, top: int) -> tuple[float, float]:
    y0, y1, y2 = curve[top - 1 : top + 2]
    bend = y0 - 2.0 * y1 + y2
    shift = 0.5 * (y0 - y2) / bend if bend < 0.0 else 0.0
    return top + shift, float(y1 - 0.25 * (y0 - y2) * shift)

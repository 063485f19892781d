"""How far one recording lies behind another: cross-correlation with a sub-sample peak, and how sure that is."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft

Floats = NDArray[np.float32]
Doubles = NDArray[np.float64]

FIRST_SHARE = 0.45
"""An earlier peak this high beside the highest is the direct sound; what follows is its echo."""

_NEAR = 24

_ALIKE = 0.95
"""Fits this high beside the highest are as good: a click track fits again at each beat. The smallest shift is then the
likeliest; it is not sure all the same."""

_CLEAR = 0.9
"""From this strength on little but the sound itself is heard, and its phase tells more than the curve does."""

_FRAME, _FRAMES = 1024, 4000


_MARGIN = 0.25
"""So far the best fit stands above all others where it is beyond doubt."""
_MOST_RIVALS = 3


@dataclass(frozen=True)
class Rival:
    """Another place that fits, by its ``share`` of how well the best one does."""

    samples: float
    share: float
    inverted: bool


@dataclass(frozen=True)
class Offset:
    """``samples`` is positive when the second recording is late. ``strength`` is the correlation at the
    best fit (-1 to 1, negative: polarity turned), ``margin`` how far the best stands above the rest (0 to 1),
    ``height`` the peak in standard deviations of the curve around it, ``echo`` that a later, stronger
    arrival was passed over. ``rivals`` fit so nearly as well that it is not sure, the best first."""

    samples: float
    strength: float
    margin: float
    height: float = 0.0
    echo: bool = False
    rivals: tuple[Rival, ...] = ()

    @property
    def inverted(self) -> bool:
        return self.strength < 0.0

    @property
    def confidence(self) -> float:
        """0 to 1: by how far the peak stands out of what chance would give, and of any rival."""
        by_height = min(1.0, max(0.0, (self.height - 6.0) / 9.0))
        by_margin = 1.0 if self.echo else min(1.0, max(0.0, self.margin / _MARGIN))
        return round(by_height * by_margin, 3)


def loudest(sound: Floats) -> Floats:
    """The loudest channel of ``sound``, shape (channels, samples): a sum would cancel what is turned over."""
    return np.asarray(sound[int(np.vecdot(sound, sound).argmax())])


SILENT = 1e-4
"""Below this nothing can be compared."""

WHITENING = 0.5
"""For recordings of all kinds: enough against tones that fit again, little enough for noise."""

SURE = 0.5
"""From this confidence on an offset is given as the answer."""


@dataclass(frozen=True)
class Agreement:
    """What the most of several offsets say together. ``near`` are their places in the list, ``spread`` is half the
    distance of the extremes, ``confidence`` the sum of theirs over the count of all."""

    near: list[int]
    samples: float
    spread: float
    inverted: bool
    confidence: float


def agreement(found: Sequence[Offset], within_samples: float) -> Agreement:
    """The offsets that lie near the middle one. Where they are not more than half there is no confidence: one that
    fits by chance among many that do not says nothing."""
    middle = sorted(f.samples for f in found)[len(found) // 2]
    near = [n for n, f in enumerate(found) if abs(f.samples - middle) <= within_samples]
    places = [found[n].samples for n in near]
    sure = sum(found[n].confidence for n in near) / len(found) if len(near) * 2 > len(found) else 0.0
    turned = sum(found[n].inverted for n in near) * 2 > len(near)
    return Agreement(near, float(np.median(places)), float(np.ptp(places)) / 2.0, turned, sure)


def find_offset(
    reference: Floats, recorded: Floats, most_samples: int, whitening: float = 0.0, first_samples: int = 0
) -> Offset:
    """The offset within ±``most_samples`` at which two mono recordings fit best.

    The correlation is normalised by the energy of both; its peak is refined by interpolating the
    correlation with a sinc around it (band-limited, so exact for band-limited sound). ``whitening`` from 0
    to 1 evens out the spectrum first (at 1: the phase transform of Knapp and Carter, 1976), so that
    steady tones, which fit again after each period, do not hide where they began. With ``first_samples`` a
    high peak up to this much earlier than the highest is taken for the direct sound. Whitened recordings that
    are nearly alike are then placed by phase, see ``by_phase``.
    """
    a = reference.astype(np.float64) - reference.mean(dtype=np.float64)
    b = recorded.astype(np.float64) - recorded.mean(dtype=np.float64)
    energy = float(np.sqrt((a @ a) * (b @ b)))
    if energy <= 0.0 or not np.isfinite(energy):
        return Offset(0.0, 0.0, 0.0)
    size = fft.next_fast_len(len(a) + len(b), real=True)
    cross = np.conj(fft.rfft(a, size)) * fft.rfft(b, size)
    plain = fft.irfft(cross, size) / energy
    found = plain
    if whitening:
        power = np.abs(cross)
        weight = np.maximum(power, 1e-4 * float(power.max())) ** -whitening
        found = fft.irfft(cross * weight, size) / max(float((power * weight).sum()) * 2.0 / size, 1e-300)
    reach = min(most_samples, size // 2 - 1)
    near = np.concatenate([found[-reach:], found[: reach + 1]]) if reach else found[:1]
    size_of = np.abs(near)
    best = _smallest_shift(size_of, reach)
    first = _first(size_of, best, first_samples)
    echo, best = first != best, first
    sign = 1.0 if near[best] >= 0.0 else -1.0
    at, height = _peak(sign * near, best)
    others = size_of.copy()
    others[max(0, best - _NEAR) : best + _NEAR + 1] = 0.0
    margin = 1.0 - float(others.max(initial=0.0)) / max(height, 1e-12)
    rivals = () if echo else _rivals(sign * near, others, height, reach)
    spread = float(np.sqrt(np.mean(np.square(near[others > 0.0])))) if (others > 0.0).any() else 0.0
    fits = min(1.0, abs(float(plain[round(at - reach) % size]))) if whitening else min(1.0, height)
    samples = at - reach
    if whitening and fits >= _CLEAR:
        samples = by_phase(a, b, samples)
    return Offset(samples, sign * fits, max(0.0, margin), height / max(spread, 1e-12), echo, rivals)


def by_phase(a: Doubles, b: Doubles, samples: float) -> float:
    """Within a sample of ``samples``, where the phases of both agree best, each frequency weighted by how far its
    coherence can be trusted (Hannan and Thomson, 1973, coherence by Welch's method). Dull sound in bright noise is
    placed several times more exactly than by its correlation. An echo bends phases, so it is for clear sound only."""
    whole = round(samples)
    low, high = max(0, -whole), min(len(a), len(b) - whole)
    if high - low < 8 * _FRAME:
        return samples
    step = max(_FRAME // 2, (high - low) // _FRAMES)
    window = np.hanning(_FRAME)
    one, other = (
        fft.rfft(np.lib.stride_tricks.sliding_window_view(sound, _FRAME)[::step] * window)
        for sound in (a[low:high], b[low + whole : high + whole])
    )
    cross = (np.conj(one) * other).sum(axis=0)
    powers = np.square(np.abs(one)).sum(axis=0) * np.square(np.abs(other)).sum(axis=0)
    by_chance = 2.0 / len(one)
    coherence = np.clip(np.square(np.abs(cross)) / np.maximum(powers, 1e-300) - by_chance, 0.0, 0.9999)
    phases = cross / np.maximum(np.abs(cross), 1e-300) * coherence / (1.0 - coherence)
    shifts = np.linspace(-1.0, 1.0, 201)
    curve = np.abs((np.exp(2j * np.pi * np.outer(shifts, fft.rfftfreq(_FRAME))) @ phases).real)
    return whole + _top(shifts, curve)[0]


def _smallest_shift(size_of: Doubles, reach: int) -> int:
    """The highest place, or the one nearest to no shift of those that are about as high."""
    alike = np.flatnonzero(size_of >= _ALIKE * size_of.max())
    nearest = int(alike[np.abs(alike - reach).argmin()])
    low = max(0, nearest - _NEAR)
    return low + int(size_of[low : nearest + _NEAR + 1].argmax())


def _rivals(near: Doubles, others: Doubles, height: float, reach: int) -> tuple[Rival, ...]:
    """Of ``others``, what is left of the curve without its best peak, those that leave too little of a margin."""
    left, out = others.copy(), list[Rival]()
    while len(out) < _MOST_RIVALS and left.max(initial=0.0) > (1.0 - SURE * _MARGIN) * height:
        at = int(left.argmax())
        out.append(Rival(float(at - reach), float(left[at]) / height, bool(near[at] < 0.0)))
        left[max(0, at - _NEAR) : at + _NEAR + 1] = 0.0
    return tuple(out)


def _first(size_of: Doubles, best: int, first_samples: int) -> int:
    """The earliest local peak that is high beside the highest one."""
    low = max(1, best - first_samples)
    if not first_samples or low >= best - 2:
        return best
    part = size_of[low : best - 1]
    tops = (part >= size_of[low - 1 : best - 2]) & (part > size_of[low + 1 : best])
    tops &= part > FIRST_SHARE * size_of[best]
    # Ripples of the highest peak itself are no arrival of their own.
    places = low + np.flatnonzero(tops)
    places = places[places < best - _NEAR]
    return int(places[size_of[places].argmax()]) if len(places) else best


def _peak(curve: Doubles, best: int, reach: int = 32) -> tuple[float, float]:
    """Place and height of the peak near sample ``best``, between samples."""
    low, high = max(0, best - reach), min(len(curve), best + reach + 1)
    n = np.arange(low, high)
    fine = np.linspace(best - 1.0, best + 1.0, 201)
    window = np.sinc((fine[:, None] - n) / (reach + 1))  # Lanczos
    values = (np.sinc(fine[:, None] - n) * window) @ curve[low:high]
    return _top(fine, values)


def _top(places: Doubles, values: Doubles) -> tuple[float, float]:
    """Place and height of the highest of evenly spaced ``values``, by the parabola through its neighbours."""
    top = int(values.argmax())
    if not 0 < top < len(values) - 1:
        return float(places[top]), float(values[top])
    y0, y1, y2 = values[top - 1 : top + 2]
    bend = y0 - 2.0 * y1 + y2
    shift = 0.5 * (y0 - y2) / bend if bend else 0.0
    return float(places[top] + shift * (places[1] - places[0])), float(y1)

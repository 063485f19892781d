"""How far one recording lies behind another: cross-correlation with a sub-sample peak, and how sure that is."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft

Floats = NDArray[np.float32]
Doubles = NDArray[np.float64]

FIRST_SHARE = 0.45
"""An earlier peak this high beside the highest is the direct sound; what follows is an echo of it."""

_NEAR = 24


@dataclass(frozen=True)
class Offset:
    """``samples`` is positive when the second recording is late. ``strength`` is the correlation at the
    best fit (-1 to 1, negative: polarity turned), ``margin`` how far the best stands above the rest (0 to 1),
    ``height`` the peak in standard deviations of the curve around it, ``echo`` that a later, stronger
    arrival was passed over."""

    samples: float
    strength: float
    margin: float
    height: float = 0.0
    echo: bool = False

    @property
    def inverted(self) -> bool:
        return self.strength < 0.0

    @property
    def confidence(self) -> float:
        """0 to 1: by how far the peak stands out of what chance would give, and of any rival."""
        by_height = min(1.0, max(0.0, (self.height - 6.0) / 9.0))
        by_margin = 1.0 if self.echo else min(1.0, max(0.0, self.margin / 0.25))
        return round(by_height * by_margin, 3)


WHITENING = 0.5
"""For recordings of all kinds: enough against tones that fit again, little enough for noise."""

SURE = 0.5
"""From this confidence on an offset is given as the answer."""


def find_offset(
    reference: Floats, recorded: Floats, most_samples: int, whitening: float = 0.0, first_samples: int = 0
) -> Offset:
    """The offset within ±``most_samples`` at which two mono recordings fit best.

    The correlation is normalised by the energy of both; its peak is refined by interpolating the
    correlation with a sinc around it (band-limited, so exact for band-limited sound). ``whitening`` from 0
    to 1 evens out the spectrum first (at 1: the phase transform of Knapp and Carter, 1976), so that
    steady tones, which fit again after each period, do not hide where they began. With ``first_samples`` a
    high peak up to so much earlier than the highest is taken for the direct sound.
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
    best = int(size_of.argmax())
    first = _first(size_of, best, first_samples)
    echo, best = first != best, first
    sign = 1.0 if near[best] >= 0.0 else -1.0
    at, height = _peak(sign * near, best)
    others = size_of.copy()
    others[max(0, best - _NEAR) : best + _NEAR + 1] = 0.0
    margin = 1.0 - float(others.max(initial=0.0)) / max(height, 1e-12)
    spread = float(np.sqrt(np.mean(np.square(near[others > 0.0])))) if (others > 0.0).any() else 0.0
    fits = min(1.0, abs(float(plain[round(at - reach) % size]))) if whitening else min(1.0, height)
    return Offset(at - reach, sign * fits, max(0.0, margin), height / max(spread, 1e-12), echo)


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
    top = int(values.argmax())
    if 0 < top < len(fine) - 1:
        y0, y1, y2 = values[top - 1 : top + 2]
        bend = y0 - 2.0 * y1 + y2
        shift = 0.5 * (y0 - y2) / bend if bend else 0.0
        return float(fine[top] + shift * (fine[1] - fine[0])), float(y1)
    return float(fine[top]), float(values[top])

"""How far one recording lies behind another: cross-correlation with a sub-sample peak."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft

Floats = NDArray[np.float32]


@dataclass(frozen=True)
class Offset:
    """``samples`` is positive when the second recording is late. ``strength`` is the correlation at the
    best fit (-1 to 1, negative: polarity turned), ``margin`` how far the best stands above the rest (0 to 1)."""

    samples: float
    strength: float
    margin: float

    @property
    def inverted(self) -> bool:
        return self.strength < 0.0


def find_offset(reference: Floats, recorded: Floats, most_samples: int, whitening: float = 0.0) -> Offset:
    """The offset within ±``most_samples`` at which two mono recordings fit best.

    The correlation is normalised by the energy of both; its peak is refined by interpolating the
    correlation with a sinc around it (band-limited, so exact for band-limited sound). ``whitening`` from 0
    to 1 evens out the spectrum first (at 1: the phase transform of Knapp and Carter, 1976), so that
    steady tones, which fit again after each period, do not hide where they began.
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
    near = np.concatenate([found[-reach:], found[: reach + 1]])
    best = int(np.abs(near).argmax())
    sign = 1.0 if near[best] >= 0.0 else -1.0
    at, height = _peak(sign * near, best)
    others = np.abs(near).copy()
    others[max(0, best - 24) : best + 25] = 0.0
    margin = 1.0 - float(others.max(initial=0.0)) / max(height, 1e-12)
    fits = min(1.0, abs(float(plain[round(at - reach) % size]))) if whitening else min(1.0, height)
    return Offset(at - reach, sign * fits, max(0.0, margin))


def _peak(curve: NDArray[np.float64], best: int, reach: int = 32) -> tuple[float, float]:
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

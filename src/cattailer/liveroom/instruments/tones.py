"""What the instruments share: sums of decaying partials, envelopes, filtered noise."""

from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy import fft

Floats = NDArray[np.float32]
_FINE = 256
_CYCLE = 1 << 14


def partials(
    rate_hz: int, count: int, hz: ArrayLike, amplitude: ArrayLike, decay_s: ArrayLike, rng: np.random.Generator
) -> Floats:
    """Sum of sinusoids, each falling to 1/e in ``decay_s``; partials above 0.45 rate are left out.

    One product of a coarse and a fine time table does all of them, which is much faster than a
    sine for each.
    """
    hz, amplitude, decay_s = np.broadcast_arrays(*(np.asarray(x, float) for x in (hz, amplitude, decay_s)))
    use = (hz < 0.45 * rate_hz) & (hz > 0)
    rate = (2j * np.pi * hz[use] - 1.0 / decay_s[use]) / rate_hz
    start = amplitude[use] * np.exp(1j * rng.uniform(0, 2 * np.pi, int(use.sum())))
    coarse = np.exp(np.outer(np.arange(-(-count // _FINE)) * _FINE, rate)) * start
    fine = np.exp(np.outer(rate, np.arange(_FINE)))
    table = coarse.astype(np.complex64) @ fine.astype(np.complex64)
    return np.ascontiguousarray(table.imag.reshape(-1)[:count])


def periodic(
    rate_hz: int, count: int, hz: float, level: ArrayLike, rng: np.random.Generator,
    vibrato_hz: float = 0.0, cents: float = 0.0, onset_s: float = 0.3,
) -> Floats:
    """A steady tone whose harmonics have ``level``, from one cycle read around and around.

    Its pitch may swing by ``cents`` at ``vibrato_hz``, growing over ``onset_s``. Much cheaper than
    the same partials one by one.
    """
    heights = np.asarray(level, float)
    harmonic = np.arange(1, len(heights) + 1)
    use = harmonic * hz < 0.45 * rate_hz
    spectrum = np.zeros(_CYCLE // 2 + 1, np.complex64)
    spectrum[harmonic[use]] = heights[use] * np.exp(1j * rng.uniform(0, 2 * np.pi, int(use.sum())))
    cycle = fft.irfft(spectrum, _CYCLE)
    cycle = np.append(cycle, cycle[0])
    t = np.arange(count) / rate_hz
    if cents:
        depth = (2 ** (cents / 1200) - 1) / (2 * np.pi * vibrato_hz)
        t += depth * np.minimum(1.0, t / onset_s) * np.sin(2 * np.pi * vibrato_hz * t)
    at = t * hz % 1.0 * _CYCLE
    whole = at.astype(np.int32)
    now = cycle[whole]
    return at_peak_one(now + (cycle[whole + 1] - now) * (at - whole).astype(np.float32))


def envelope(rate_hz: int, count: int, attack_s: float, release_s: float) -> Floats:
    """Raised-cosine rise and fall."""
    env = np.ones(count, np.float32)
    rise = min(count // 2, max(2, int(attack_s * rate_hz)))
    fall = min(count // 2, max(2, int(release_s * rate_hz)))
    env[:rise] = 0.5 - 0.5 * np.cos(np.linspace(0, np.pi, rise))
    env[-fall:] *= 0.5 + 0.5 * np.cos(np.linspace(0, np.pi, fall))
    return env


def band_noise(rate_hz: int, count: int, low_hz: float, high_hz: float, rng: np.random.Generator) -> Floats:
    """Noise between two corners, RMS 1: a stretch from anywhere in a table."""
    table = _noise_table(rate_hz, low_hz, high_hz)
    start = int(rng.integers(len(table)))
    return np.take(table, np.arange(start, start + count), mode="wrap")


@lru_cache(maxsize=16)
def _noise_table(rate_hz: int, low_hz: float, high_hz: float) -> Floats:
    size = 1 << 17
    spectrum = fft.rfft(np.random.default_rng(int(low_hz)).standard_normal(size, np.float32))
    hz = fft.rfftfreq(size, 1 / rate_hz) + 1e-9
    noise = fft.irfft(spectrum / np.sqrt((1 + (low_hz / hz) ** 4) * (1 + (hz / high_hz) ** 4)), size)
    return np.asarray(noise / np.std(noise), np.float32)


def resonances(hz: NDArray[np.floating], peaks: list[tuple[float, float, float]]) -> NDArray[np.floating]:
    """Gain at each frequency of a body or vocal tract: (centre Hz, width Hz, height) summed."""
    gain: NDArray[np.floating] = np.full(hz.shape, 0.08)
    for centre, width, height in peaks:
        gain = gain + height / (1.0 + ((hz - centre) / (width / 2)) ** 2)
    return gain


def at_peak_one(sound: NDArray[np.floating]) -> Floats:
    return np.asarray(sound / (np.abs(sound).max() + 1e-12), np.float32)

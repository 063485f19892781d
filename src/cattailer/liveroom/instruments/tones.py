"""What the instruments share: sums of decaying partials, envelopes, filtered noise."""

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy import fft

Floats = NDArray[np.float32]
_FINE = 256


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


def warp(sound: Floats, rate_hz: int, vibrato_hz: float, cents: float, onset_s: float) -> Floats:
    """Bends the pitch periodically, growing over ``onset_s``."""
    t = np.arange(len(sound)) / rate_hz
    depth = (2 ** (cents / 1200) - 1) / (2 * np.pi * vibrato_hz) * np.minimum(1.0, t / onset_s)
    moved = (t + depth * np.sin(2 * np.pi * vibrato_hz * t)) * rate_hz
    return np.interp(moved, np.arange(len(sound)), sound).astype(np.float32)


def envelope(rate_hz: int, count: int, attack_s: float, release_s: float) -> Floats:
    """Raised-cosine rise and fall."""
    env = np.ones(count, np.float32)
    rise = min(count // 2, max(2, int(attack_s * rate_hz)))
    fall = min(count // 2, max(2, int(release_s * rate_hz)))
    env[:rise] = 0.5 - 0.5 * np.cos(np.linspace(0, np.pi, rise))
    env[-fall:] *= 0.5 + 0.5 * np.cos(np.linspace(0, np.pi, fall))
    return env


def band_noise(rate_hz: int, count: int, low_hz: float, high_hz: float, rng: np.random.Generator) -> Floats:
    """Noise between two corners, RMS 1."""
    size = fft.next_fast_len(count, real=True)
    spectrum = fft.rfft(rng.standard_normal(size, np.float32))
    hz = fft.rfftfreq(size, 1 / rate_hz) + 1e-9
    noise = fft.irfft(spectrum / np.sqrt((1 + (low_hz / hz) ** 4) * (1 + (hz / high_hz) ** 4)), size)[:count]
    return np.asarray(noise / (np.std(noise) + 1e-12), np.float32)


def resonances(hz: NDArray[np.floating], peaks: list[tuple[float, float, float]]) -> NDArray[np.floating]:
    """Gain at each frequency of a body or vocal tract: (centre Hz, width Hz, height) summed."""
    gain: NDArray[np.floating] = np.full(hz.shape, 0.08)
    for centre, width, height in peaks:
        gain = gain + height / (1.0 + ((hz - centre) / (width / 2)) ** 2)
    return gain


def at_peak_one(sound: NDArray[np.floating]) -> Floats:
    return np.asarray(sound / (np.abs(sound).max() + 1e-12), np.float32)

"""The grain barn's answer: a diffuse tail, convolved block by block.

Uniformly partitioned overlap-save. The first wall answers one partition after the sound, so the
tail of a block needs only what is already past.
"""

import numpy as np
from numpy.typing import NDArray
from scipy import fft

PARTITION = 4096
BINS = PARTITION // 2 + 1
"""The lower half of the spectrum: a barn of wood and straw gives nothing back above that."""

REVERB_S = 0.9
_LENGTH_S = 0.55


def impulse_response(rate_hz: int, seed: int) -> NDArray[np.float32]:
    """Noise that falls 60 dB in 0.9 s and loses its top on the way; energy 1."""
    rng = np.random.default_rng(seed)
    parts = -(-int(_LENGTH_S * rate_hz) // PARTITION)
    t = np.arange(parts * PARTITION) / rate_hz
    tail = rng.standard_normal(len(t)) * 10.0 ** (-3.0 * t / REVERB_S)
    spectrum = fft.rfft(tail.reshape(parts, PARTITION), axis=1)
    hz = fft.rfftfreq(PARTITION, 1 / rate_hz)
    corner = 5200.0 * 10.0 ** (-0.6 * np.arange(parts) * PARTITION / rate_hz)
    spectrum[:, hz > hz[-1] / 2] = 0
    dull = fft.irfft(spectrum / np.sqrt(1 + (hz / corner[:, None]) ** 2), axis=1).reshape(-1)
    return np.asarray(dull / np.sqrt((dull**2).sum()), np.float32)


class Barn:
    """The tail of one bus."""

    def __init__(self, rate_hz: int, seed: int = 41) -> None:
        tail = impulse_response(rate_hz, seed).reshape(-1, PARTITION)
        self._filters = fft.rfft(tail, 2 * PARTITION, axis=1).astype(np.complex64)[:, :BINS].copy()
        self._products = np.zeros_like(self._filters)
        count = len(self._filters)
        self._past = np.zeros((2 * count, BINS), np.complex64)
        self._at = count
        self._count = count
        self._before = np.zeros(PARTITION, np.float32)

    def answer(self, bus: NDArray[np.float32]) -> NDArray[np.float32]:
        """What follows after ``bus``; both of shape (PARTITION,)."""
        self._at = (self._at - 1) % self._count
        spectrum = fft.rfft(np.concatenate([self._before, bus]))[:BINS]
        self._past[self._at] = self._past[self._at + self._count] = spectrum
        self._before = bus.copy()
        recent = self._past[self._at : self._at + self._count]
        mixed = np.multiply(self._filters, recent, out=self._products).sum(axis=0)
        return np.asarray(fft.irfft(mixed, 2 * PARTITION)[PARTITION:], np.float32)

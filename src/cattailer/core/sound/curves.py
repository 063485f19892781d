"""Curves along which gains move, so that nothing steps."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
GLIDE_S = 0.05
_BLACKMAN_HARRIS = (0.35875, 0.48829, 0.14128, 0.01168)


@lru_cache(maxsize=32)
def rising(samples: int) -> Floats:
    """From 0 to 1 along half a cosine, whose slope is 0 at both ends. Shape (samples,)."""
    return _kept(0.5 - 0.5 * np.cos(np.pi * (np.arange(samples) + 0.5) / samples))


@lru_cache(maxsize=32)
def gliding(rate_hz: int, seconds: float = GLIDE_S) -> Floats:
    """From 0 to 1 within so many seconds, so smoothly that what a gain does to a tone stays near that tone: the slope
    is a Blackman-Harris window (F. J. Harris, "On the use of windows for harmonic analysis", 1978), whose spectrum is
    below -92 dB from 80 Hz on (at ``GLIDE_S``). Shape (samples,)."""
    samples = round(seconds * rate_hz)
    at = (np.arange(samples) + 0.5) / samples
    first, *rest = _BLACKMAN_HARRIS
    # The window's integral, written down.
    curve = first * at
    for n, share in enumerate(rest, 1):
        curve += (-1.0) ** n * share * np.sin(2 * np.pi * n * at) / (2 * np.pi * n)
    return _kept(curve / first)


def along(curve: Floats, done: int, count: int) -> Floats:
    """The next ``count`` values of a curve of which ``done`` samples are over: 0 before it begins, 1 after its end."""
    if done >= 0 and done + count <= len(curve):
        return curve[done : done + count]
    at = np.arange(done, done + count)
    inside = curve[np.clip(at, 0, len(curve) - 1)]
    return np.where(at < 0, np.float32(0.0), np.where(at < len(curve), inside, np.float32(1.0))).astype(np.float32)


def _kept(curve: NDArray[np.float64]) -> Floats:
    made = curve.astype(np.float32)
    made.setflags(write=False)
    return made

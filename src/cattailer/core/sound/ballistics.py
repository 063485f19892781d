"""Other ways to read a level live: the VU meter (IEC 60268-17) and loudness of single rows (BS.1770)."""

import math
from collections import deque

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from cattailer.core.sound.loudness import k_weighting
from cattailer.core.sound.sections import Sections
from cattailer.core.units import SILENCE_DB, decibels_of

VU_ZERO_DBFS = -18.0
"""A sine that peaks here reads 0 VU."""

_VU_DAMPING, _VU_OMEGA = 0.81, 13.9
"""99 % of a steady tone after 300 ms, overshooting by about 1 %."""

_STEP_S = 0.001
MOMENTARY_S, SHORT_TERM_S = 0.4, 3.0

Floats = NDArray[np.float32]
Doubles = NDArray[np.float64]


class VuMeter:
    """The needle of each row: the rectified average, moved as the standard's instrument moves."""

    def __init__(self, channels: int, rate_hz: int) -> None:
        self._step = max(1, round(rate_hz * _STEP_S))
        b, a = signal.bilinear([_VU_OMEGA**2], [1.0, 2.0 * _VU_DAMPING * _VU_OMEGA, _VU_OMEGA**2], rate_hz / self._step)
        self._sos = np.concatenate([b, a])[None, :]
        self._state = np.zeros((1, channels, 2))
        self._left = np.zeros((channels, 0), np.float32)
        self._needle = np.zeros(channels)

    def add(self, block: Floats) -> None:
        joined = np.concatenate([self._left, np.abs(block)], axis=1)
        steps = joined.shape[1] // self._step
        self._left = joined[:, steps * self._step :].copy()
        if not steps:
            return
        means = joined[:, : steps * self._step].reshape(len(joined), steps, self._step).mean(axis=2, dtype=np.float64)
        moved, self._state = signal.sosfilt(self._sos, means, axis=1, zi=self._state)
        self._needle = np.maximum(moved[:, -1], 0.0)

    def dbfs(self) -> Doubles:
        """As the level of a sine that would read so; subtract ``VU_ZERO_DBFS`` for VU."""
        return decibels_of(self._needle * math.pi / 2.0)


class RowLoudness:
    """Momentary and short-term loudness of each row by itself."""

    def __init__(self, channels: int, rate_hz: int) -> None:
        self._rate = rate_hz
        self._channels = channels
        self._weighting = Sections(k_weighting(rate_hz), channels)
        self._parts: deque[tuple[int, Doubles]] = deque()
        self._held = 0

    def add(self, block: Floats) -> None:
        weighted = self._weighting.filter(block)
        self._parts.append((block.shape[1], np.vecdot(weighted, weighted).astype(np.float64)))
        self._held += block.shape[1]
        while self._held - self._parts[0][0] > SHORT_TERM_S * self._rate:
            self._held -= self._parts.popleft()[0]

    def lufs(self, seconds: float) -> Doubles:
        """Over the newest stretch of about that length; silence reads as the lowest level."""
        total, samples = np.zeros(self._channels), 0
        for count, squares in reversed(self._parts):
            if samples >= seconds * self._rate:
                break
            total, samples = total + squares, samples + count
        power = total / max(1, samples)
        return np.asarray(np.where(power > 0.0, -0.691 + 10.0 * np.log10(np.maximum(power, 1e-30)), SILENCE_DB))

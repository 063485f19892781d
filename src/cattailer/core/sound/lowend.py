"""The low end of rows over the last seconds, at about a thousandth of its samples: what hum is looked for in."""

import numpy as np
from numpy.typing import NDArray
from scipy import signal

LOW_RATE_HZ, LOW_TOP_HZ = 1000.0, 430.0
KEPT_S = 7.1
_STOP_DB = 70.0
_FIRST = 8
"""About how many samples the first of two filters makes into one: the long one runs on few samples then."""

Floats = NDArray[np.float32]


class LowEnd:
    """Takes blocks of any length; ``lately`` is what lies below ``LOW_TOP_HZ``, what folds onto it 70 dB down."""

    def __init__(self, channels: int, rate_hz: int) -> None:
        by = max(1, round(rate_hz / LOW_RATE_HZ))
        first = min((n for n in range(1, by + 1) if by % n == 0), key=lambda n: abs(n - _FIRST))
        self._stages = [_Thinned(channels, rate_hz, first), _Thinned(channels, rate_hz / first, by // first)]
        self.rate_hz = rate_hz / by
        self._most = round(KEPT_S * self.rate_hz)
        self._kept = np.zeros((channels, 0), np.float32)

    @property
    def lately(self) -> Floats:
        """Shape (channels, samples), at ``rate_hz``."""
        return self._kept

    def add(self, block: Floats) -> None:
        """Takes a block, shape (channels, samples)."""
        if not np.isfinite(block).all():
            block = np.nan_to_num(block, nan=0.0, posinf=0.0, neginf=0.0)
        for stage in self._stages:
            block = stage.add(block)
        self._kept = np.concatenate([self._kept, block], axis=1)[:, -self._most :]


class _Thinned:
    """Leaves one sample of ``by``, after a low-pass (Kaiser) that keeps what would fold out of the low end."""

    def __init__(self, channels: int, rate_hz: float, by: int) -> None:
        self._by = by
        if by == 1:
            return
        stop_hz = rate_hz / by - LOW_TOP_HZ
        taps, beta = signal.kaiserord(_STOP_DB, (stop_hz - LOW_TOP_HZ) / (rate_hz / 2))
        self._past = -(-taps // by) * by
        response = signal.firwin(self._past + 1, (LOW_TOP_HZ + stop_hz) / 2, window=("kaiser", beta), fs=rate_hz)
        self._response = response.astype(np.float32)
        self._waiting = np.zeros((channels, self._past), np.float32)

    def add(self, block: Floats) -> Floats:
        if self._by == 1:
            return block
        joined = np.concatenate([self._waiting, block], axis=1)
        whole = (joined.shape[1] - self._past) // self._by
        self._waiting = joined[:, whole * self._by :].copy()
        if not whole:
            return joined[:, :0]
        out = signal.upfirdn(self._response, joined[:, : self._past + whole * self._by], 1, self._by, axis=1)
        first = self._past // self._by
        return np.asarray(out[:, first : first + whole], np.float32)

"""Loudness: momentary, short-term and integrated (ITU-R BS.1770-4, EBU Tech 3341), and loudness range
(EBU Tech 3342). Memory does not grow with length."""

import math

import numpy as np
from numpy.typing import NDArray

from cattailer.core.sound.sections import Sections

HOP_S = 0.01
"""Windows move on by this, so that a short peak is seen wherever it falls (3341 asks for 0.1 at most)."""

MOMENTARY_HOPS, SHORT_TERM_HOPS, GATING_HOPS = 40, 300, 10
ABSOLUTE_GATE_LUFS = -70.0
_BINS_PER_LU = 100
_BINS = 90 * _BINS_PER_LU

Doubles = NDArray[np.float64]


def k_weighting(rate_hz: int) -> Doubles:
    """The two filters of BS.1770 as second-order sections, shape (2, 6), for any rate.

    The standard gives coefficients for 48 kHz; these come from the analogue filters behind them
    (Brecht De Man, "Evaluation of implementations of the EBU R128 loudness measurement", 2018).
    """
    f, gain_db, q = 1681.974450955533, 3.999843853973347, 0.7071752369554196
    k = math.tan(math.pi * f / rate_hz)
    high = 10.0 ** (gain_db / 20.0)
    band = high**0.4996667741545416
    a0 = 1.0 + k / q + k * k
    shelf = [
        (high + band * k / q + k * k) / a0, 2.0 * (k * k - high) / a0, (high - band * k / q + k * k) / a0,
        1.0, 2.0 * (k * k - 1.0) / a0, (1.0 - k / q + k * k) / a0,
    ]
    f, q = 38.13547087602444, 0.5003270373238773
    k = math.tan(math.pi * f / rate_hz)
    a0 = 1.0 + k / q + k * k
    cut = [1.0, -2.0, 1.0, 1.0, 2.0 * (k * k - 1.0) / a0, (1.0 - k / q + k * k) / a0]
    return np.array([shelf, cut])


def channel_weights(channels: int) -> Doubles:
    """Surround channels count 1.41 times, the low-frequency channel not at all (L R C [LFE] Ls Rs)."""
    if channels == 5:
        return np.array([1.0, 1.0, 1.0, 1.41, 1.41])
    if channels == 6:
        return np.array([1.0, 1.0, 1.0, 0.0, 1.41, 1.41])
    return np.ones(channels)


def lufs(power: float) -> float:
    """Loudness of a weighted mean square; silence reads as -inf."""
    return -0.691 + 10.0 * math.log10(power) if power > 0.0 else -math.inf


class _Spread:
    """How often each loudness came, in hundredths of a LU, with its power."""

    def __init__(self) -> None:
        self.counts = np.zeros(_BINS, np.int64)
        self.powers = np.zeros(_BINS)

    def add(self, power: Doubles) -> None:
        loud = power[power > 10.0 ** ((ABSOLUTE_GATE_LUFS + 0.691) / 10.0)]
        if not len(loud):
            return
        at = np.clip((-0.691 + 10.0 * np.log10(loud) - ABSOLUTE_GATE_LUFS) * _BINS_PER_LU, 0, _BINS - 1).astype(int)
        np.add.at(self.counts, at, 1)
        np.add.at(self.powers, at, loud)

    def gated(self, below_lu: float) -> int:
        """The first bin that passes the relative gate."""
        count = self.counts.sum()
        if not count:
            return _BINS
        gate = lufs(self.powers.sum() / count) - below_lu
        return min(_BINS, max(0, math.ceil((gate - ABSOLUTE_GATE_LUFS) * _BINS_PER_LU)))


class Loudness:
    """Gathers loudness of one programme over blocks; ``weights`` defaults to the standard's.

    Blocks must be whole hops long, but for the last (``hop`` samples; ``Measurement`` sees to it).
    """

    def __init__(self, channels: int, rate_hz: int) -> None:
        self.hop = max(1, round(rate_hz * HOP_S))
        self._weighting = Sections(k_weighting(rate_hz), channels)
        self._weights = channel_weights(channels)
        self._recent = np.zeros(0)
        self._seen = 0
        self._gating, self._ranging = _Spread(), _Spread()
        self.max_momentary = self.max_short_term = 0.0

    def add(self, block: NDArray[np.float32]) -> None:
        """Takes a block, shape (channels, samples)."""
        weighted = self._weighting.filter(block)
        hops = block.shape[1] // self.hop
        if not hops:
            return
        cut = weighted[:, : hops * self.hop].reshape(len(weighted), hops, self.hop)
        power = self._weights @ (np.vecdot(cut, cut).astype(np.float64) / self.hop)
        self._recent = np.concatenate([self._recent[-(SHORT_TERM_HOPS - 1) :], power])
        seen = self._seen + hops
        momentary = _windows(self._recent, MOMENTARY_HOPS, hops)
        short = _windows(self._recent, SHORT_TERM_HOPS, hops)
        self.max_momentary = max(self.max_momentary, float(momentary.max(initial=0.0)))
        self.max_short_term = max(self.max_short_term, float(short.max(initial=0.0)))
        self._gating.add(momentary[_every(seen - len(momentary) - MOMENTARY_HOPS + 1) :: GATING_HOPS])
        self._ranging.add(short[_every(seen - len(short) - SHORT_TERM_HOPS + 1) :: GATING_HOPS])
        self._seen = seen

    @property
    def integrated_lufs(self) -> float:
        """Integrated loudness; -inf when nothing passed the gate."""
        first = self._gating.gated(10.0)
        count = self._gating.counts[first:].sum()
        return lufs(self._gating.powers[first:].sum() / count) if count else -math.inf

    @property
    def range_lu(self) -> float | None:
        """Loudness range, between the 10th and the 95th percentile; None when nothing passed the gate."""
        first = self._ranging.gated(20.0)
        counts = self._ranging.counts[first:]
        total = counts.sum()
        if not total:
            return None
        reached = np.cumsum(counts)
        low, high = (int(np.searchsorted(reached, round((total - 1) * p) + 1)) for p in (0.10, 0.95))
        return (high - low) / _BINS_PER_LU


def _windows(recent: Doubles, length: int, fresh: int) -> Doubles:
    """Means of the windows that end in the last ``fresh`` hops."""
    usable = recent[-(fresh + length - 1) :]
    if len(usable) < length:
        return np.zeros(0)
    return np.asarray(np.lib.stride_tricks.sliding_window_view(usable, length).mean(axis=1))


def _every(first: int) -> int:
    """How many windows to pass over until one begins at a multiple of the gating step."""
    return -first % GATING_HOPS

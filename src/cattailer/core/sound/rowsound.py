"""What rows sound like over a while: everything that advice, noise and fault finding go by.

All rows at once, over blocks of any size. Spectra come in frames of about a third of a second.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft

from cattailer.core.sound.meters import BlockMeter
from cattailer.core.sound.noisefloor import LevelSpread
from cattailer.core.sound.truepeak import TruePeak
from cattailer.core.units import decibels_of

OCTAVES_HZ = (31, 63, 125, 250, 500, 1000, 2000, 4000, 8000, 16000)
QUIET_DB = 3.0
"""Frames this close to the quietest one so far count as the gaps."""

_CREST_SHARE = 0.001
_BURST_S = 0.04

Floats = NDArray[np.float32]
Doubles = NDArray[np.float64]


LEAST_LOST = 32
"""Converters are never silent for that long on every row at once."""


def arrived(sound: Floats) -> Floats:
    """``sound``, shape (rows, samples), without stretches in which all rows are exactly zero: they never arrived, and
    are no quiet to measure."""
    silent = ~sound.any(axis=0)
    if not silent.any():
        return sound
    edges = np.flatnonzero(np.diff(np.concatenate(([False], silent, [False])).astype(np.int8)))
    kept = np.ones(sound.shape[1], bool)
    for a, b in zip(edges[::2], edges[1::2], strict=True):
        if b - a >= LEAST_LOST:
            kept[a:b] = False
    return sound[:, kept]


@dataclass(frozen=True)
class RowSound:
    """One row. Levels in dBFS; ``spectrum`` and ``quiet`` are power by frequency bin (full-scale sine: 0.5
    in all), of all frames and of the gaps. ``flat_tops`` counts crests that are cut off below full scale,
    ``bursts`` stretches of 40 ms in which what lies below 80 Hz outweighs all the rest."""

    seconds: float
    peak_dbfs: float
    true_peak_dbtp: float
    rms_dbfs: float
    floor_dbfs: float
    loud_dbfs: float
    dc: float
    clips: int
    flat_tops: int
    flat_dbfs: float
    bursts: int
    spectrum: Doubles
    quiet: Doubles
    bin_hz: float

    @property
    def crest_db(self) -> float:
        return self.peak_dbfs - self.rms_dbfs

    def band_dbfs(self, low_hz: float, high_hz: float, quiet: bool = False) -> float:
        """Power between two frequencies, in the gaps if ``quiet``."""
        power = self.quiet if quiet else self.spectrum
        low, high = round(low_hz / self.bin_hz), round(high_hz / self.bin_hz) + 1
        return float(10.0 * np.log10(max(float(power[low:high].sum()), 1e-20)))

    def octaves_dbfs(self, quiet: bool = False) -> list[tuple[int, float]]:
        top = self.bin_hz * (len(self.spectrum) - 1)
        return [(f, self.band_dbfs(f / 2**0.5, f * 2**0.5, quiet)) for f in OCTAVES_HZ if f < top]


class RowListener:
    """Gathers over blocks; ``sounds`` tells what came so far."""

    def __init__(self, channels: int, rate_hz: int, bits: int = 24) -> None:
        self._rate, self._channels = rate_hz, channels
        self._meter, self._true = BlockMeter(channels, bits), TruePeak(channels)
        self._floor = LevelSpread(channels, rate_hz)
        self._frame = 1 << round(np.log2(rate_hz / 3.0))
        self._window = np.hanning(self._frame).astype(np.float32)
        self._scale = 2.0 / float((self._window.astype(np.float64) ** 2).sum()) / self._frame
        bins = self._frame // 2 + 1
        self._waiting = np.zeros((channels, 0), np.float32)
        self._all, self._frames = np.zeros((channels, bins)), 0
        self._quiet, self._quiet_frames = np.zeros((channels, bins)), np.zeros(channels)
        self._least = np.full(channels, np.inf)
        self._peak, self._squares = np.zeros(channels), np.zeros(channels)
        self._sum, self._samples = np.zeros(channels), 0
        self._tops: list[tuple[Doubles, NDArray[np.int64]]] = []
        self._bursts = np.zeros(channels, np.int64)

    @property
    def seconds(self) -> float:
        return self._samples / self._rate

    def add(self, block: Floats) -> None:
        """Takes a block, shape (channels, samples)."""
        if not np.isfinite(block).all():
            block = np.nan_to_num(block, nan=0.0, posinf=0.0, neginf=0.0)
        self._meter.add(block)
        self._true.add(block)
        self._floor.add(block)
        self._sum += block.sum(axis=1, dtype=np.float64)
        self._samples += block.shape[1]
        joined = np.concatenate([self._waiting, block], axis=1)
        while joined.shape[1] >= self._frame:
            self._spectra(joined[:, : self._frame])
            joined = joined[:, self._frame :]
        self._waiting = joined.copy()

    def _spectra(self, frame: Floats) -> None:
        means = frame.mean(axis=1, keepdims=True)
        transformed = fft.rfft((frame - means) * self._window, axis=1)
        power = (transformed.real.astype(np.float64) ** 2 + transformed.imag.astype(np.float64) ** 2) * self._scale
        self._all += power
        self._frames += 1
        level = power.sum(axis=1)
        near = 10.0 ** (QUIET_DB / 10.0)
        level[level <= 0.0] = np.inf  # a dropout is not a gap
        fresh = level * near < self._least
        self._quiet[fresh], self._quiet_frames[fresh] = 0.0, 0.0
        self._least = np.minimum(self._least, level)
        take = np.isfinite(level) & (level <= self._least * near)
        self._quiet[take] += power[take]
        self._quiet_frames[take] += 1.0
        self._tops.append(_flat_tops(frame))
        self._bursts += self._low_bursts(frame, power)

    def _low_bursts(self, frame: Floats, power: Doubles) -> NDArray[np.int64]:
        """Stretches that are loud and nearly all below 80 Hz."""
        hz = self._rate / self._frame
        low = power[:, : round(80.0 / hz) + 1].sum(axis=1)
        loud = np.flatnonzero(low > 0.3 * power.sum(axis=1))
        out = np.zeros(self._channels, np.int64)
        if not len(loud):
            return out
        step = round(self._rate * _BURST_S)
        count = self._frame // step
        cut = frame[loud, : count * step].reshape(len(loud), count, step)
        spectrum = np.abs(fft.rfft(cut * np.hanning(step).astype(np.float32), axis=2)) ** 2
        edge = max(2, round(100.0 * _BURST_S) + 1)
        under, over = spectrum[:, :, :edge].sum(axis=2), spectrum[:, :, edge:].sum(axis=2)
        level = under / step**2
        out[loud] = ((under > 2.0 * over) & (level > 1e-5)).sum(axis=1)
        return out

    def sounds(self) -> list[RowSound]:
        """A row each. Can be asked again and again."""
        got = self._meter.take()
        self._peak = np.maximum(self._peak, got.peak)
        self._squares += got.squares
        count = max(1, self._samples)
        peak, true = decibels_of(self._peak), decibels_of(self._true.peak.astype(np.float64))
        rms = decibels_of(np.sqrt(self._squares / count))
        floor, loud = self._floor.floor_dbfs(), self._floor.level_dbfs(0.9)
        tops = self._counted_tops()
        frames, quiet = max(1, self._frames), np.maximum(1.0, self._quiet_frames)[:, None]
        spectra, gaps = self._all / frames, self._quiet / quiet
        return [
            RowSound(
                self.seconds, float(peak[r]), float(true[r]), float(rms[r]), float(max(floor[r], -200.0)),
                float(max(loud[r], -200.0)), float(self._sum[r] / count), int(got.clips[r]), int(tops[r]),
                float(peak[r]), int(self._bursts[r]), spectra[r], gaps[r], self._rate / self._frame,
            )
            for r in range(self._channels)
        ]

    def _counted_tops(self) -> NDArray[np.int64]:
        """Flat crests at the highest level only: what is cut off is cut off at one height."""
        out = np.zeros(self._channels, np.int64)
        for heights, tops in self._tops:
            out += np.where(heights > 0.97 * self._peak, tops, 0)
        return out


def _flat_tops(frame: Floats) -> tuple[Doubles, NDArray[np.int64]]:
    """The highest sample of each row, and how many crests lie flat at it.

    A crest is flat when three or more samples stand within a thousandth of the top and the next one
    has fallen far more than the round crest of a wave as wide would have.
    """
    high = np.abs(frame)
    top = high.max(axis=1)
    flat = high >= (1.0 - _CREST_SHARE) * top[:, None]
    counts = np.zeros(len(frame), np.int64)
    for row in np.flatnonzero((top > 1e-4) & (flat.sum(axis=1) >= 9)):
        edges = np.diff(np.concatenate([[0], flat[row].astype(np.int8), [0]]))
        starts, ends = np.flatnonzero(edges == 1), np.flatnonzero(edges == -1)
        length = ends - starts
        inside = (length >= 3) & (starts > 0) & (ends < frame.shape[1])
        starts, ends, length = starts[inside], ends[inside], length[inside]
        falls = np.minimum(top[row] - high[row, starts - 1], top[row] - high[row, ends]) / top[row]
        counts[row] = int((falls > 12.0 * _CREST_SHARE / length + _CREST_SHARE).sum())
    return top.astype(np.float64), counts

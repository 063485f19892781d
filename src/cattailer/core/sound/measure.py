"""All that is measured of a piece of sound, however it is cut into blocks."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cattailer.core.sound.loudness import Loudness, lufs
from cattailer.core.sound.meters import BlockMeter
from cattailer.core.sound.noisefloor import LevelSpread
from cattailer.core.sound.truepeak import TruePeak
from cattailer.core.units import decibels

STRETCH_S = 1

Floats = NDArray[np.float32]


@dataclass(frozen=True)
class ChannelMeasures:
    """Levels in dBFS (a full-scale square wave has 0 dBFS RMS), ``dc`` as a share of full scale.

    None where it cannot be measured: silence has no level.
    """

    peak_dbfs: float | None
    true_peak_dbtp: float | None
    rms_dbfs: float | None
    noise_floor_dbfs: float | None
    dc: float
    clips: int


@dataclass(frozen=True)
class Measures:
    samples: int
    integrated_lufs: float | None
    max_momentary_lufs: float | None
    max_short_term_lufs: float | None
    range_lu: float | None
    channels: tuple[ChannelMeasures, ...]


class Measurement:
    """Feed it blocks, then ask for ``measures``. Memory does not grow with length.

    Sound that is not finite counts as silence. Whatever comes in is worked on in stretches of equal
    length, so that the figures do not depend on how it came. All in one thread: a second one costs more than it saves.
    """

    def __init__(self, channels: int, rate_hz: int, bits: int = 24) -> None:
        self._meter = BlockMeter(channels, bits)
        self._true = TruePeak(channels)
        self._loudness = Loudness(channels, rate_hz)
        self._floor = LevelSpread(channels, rate_hz)
        self._sum = np.zeros(channels)
        self._stretch = self._loudness.hop * 100 * STRETCH_S
        self._waiting: list[Floats] = []
        self._held = 0
        self._samples = 0

    def add(self, block: Floats) -> None:
        """Takes a block, shape (channels, samples), of any length."""
        self._waiting.append(np.asarray(block, np.float32))
        self._held += block.shape[1]
        if self._held < self._stretch:
            return
        joined = np.concatenate(self._waiting, axis=1)
        whole = self._held // self._stretch * self._stretch
        for at in range(0, whole, self._stretch):
            self._work(joined[:, at : at + self._stretch])
        self._waiting, self._held = [joined[:, whole:]], self._held - whole

    def measures(self) -> Measures:
        """The figures of all that came. Nothing can be added after this."""
        if self._held:
            self._work(np.concatenate(self._waiting, axis=1))
            self._waiting, self._held = [], 0
        got = self._meter.take()
        count = max(1, self._samples)
        floors = self._floor.floor_dbfs()
        loud = self._loudness
        return Measures(
            self._samples, _told(loud.integrated_lufs), _told(lufs(loud.max_momentary)),
            _told(lufs(loud.max_short_term)), loud.range_lu,
            tuple(
                ChannelMeasures(
                    _level(float(got.peak[c])), _level(float(self._true.peak[c])),
                    _level(math.sqrt(float(got.squares[c]) / count)), _told(float(floors[c])),
                    float(self._sum[c]) / count, int(got.clips[c]),
                )
                for c in range(len(got.peak))
            ),
        )

    def _work(self, block: Floats) -> None:
        if not np.isfinite(block).all():
            block = np.nan_to_num(block, nan=0.0, posinf=0.0, neginf=0.0)
        self._loudness.add(block)
        self._meter.add(block)
        self._true.add(block)
        self._floor.add(block)
        self._sum += block.sum(axis=1, dtype=np.float64)
        self._samples += block.shape[1]


def _told(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _level(ratio: float) -> float | None:
    return decibels(ratio) if ratio > 0.0 else None

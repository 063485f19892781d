"""What a meter says: sample peak with fall-back and hold, RMS, and counted clips.

``BlockMeter`` gathers in the block path; ``MeterFace`` turns what was gathered into what is shown.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from cattailer.core.units import SILENCE_DB, decibels_of

FALL_DB_PER_S = 20.0 / 1.7
"""Peak fall-back, IEC 60268-18."""

HOLD_S = 2.0
RMS_SECONDS = 0.3
CLIP_RUN = 3
"""This many samples in a row at full scale are a clip."""
MOST_FRESH = MOST_CLIPS = 100
"""So many clips of a block, and of a file, are told with their place."""

Floats = NDArray[np.float32]
Window = tuple[float, float]


def full_scale(bits: int) -> float:
    """The largest value that a converter of ``bits`` can say; 32 (float) counts as 24."""
    return 1.0 - 2.0 ** -(min(bits, 24) - 1)


class BlockMeter:
    """Gathers peaks, squares and clips over blocks of any size, all channels at once."""

    def __init__(self, channels: int, bits: int = 24) -> None:
        self._limit = np.float32(full_scale(bits))
        self._peak = np.zeros(channels, np.float32)
        self._squares = np.zeros(channels, np.float64)
        self._samples = 0
        self._tail = np.zeros((channels, CLIP_RUN), bool)
        self._tail_set = False
        self._loudest = np.zeros(channels, np.float32)
        self._lowest = np.zeros(channels, np.float32)
        self._power = np.zeros(channels, np.float32)
        self.clips = np.zeros(channels, np.int64)
        self.fresh: list[tuple[int, int]] = []
        """(channel, sample of the block) at which clips of the newest block began; negative where in the one before."""

    def add(self, block: Floats) -> None:
        """Takes a block, shape (channels, samples), at least one sample. What is not finite is silence."""
        self.fresh = []
        np.maximum.reduce(block, axis=1, out=self._loudest)
        np.minimum.reduce(block, axis=1, out=self._lowest)
        np.negative(self._lowest, out=self._lowest)
        np.maximum(self._loudest, self._lowest, out=self._loudest)
        if not np.isfinite(self._loudest).all():
            self.add(np.nan_to_num(block, nan=0.0, posinf=0.0, neginf=0.0))
            return
        np.maximum(self._peak, self._loudest, out=self._peak)
        np.vecdot(block, block, out=self._power)
        self._squares += self._power
        self._samples += block.shape[1]
        if self._tail_set or np.maximum.reduce(self._loudest) >= self._limit:
            self._count_clips(block)

    def _count_clips(self, block: Floats) -> None:
        over = np.concatenate([self._tail, np.abs(block) >= self._limit], axis=1)
        full = over[:, :-2] & over[:, 1:-1] & over[:, 2:]
        begun = full[:, 1:] & ~full[:, :-1]
        self.clips += begun.sum(axis=1)
        self.fresh = [(int(c), int(at) + 1 - CLIP_RUN) for c, at in np.argwhere(begun)[:MOST_FRESH]]
        self._tail = over[:, -CLIP_RUN:].copy()
        self._tail_set = bool(self._tail.any())

    def take(self) -> "Gathered":
        """What came in since the last call; starts over."""
        out = Gathered(self._peak, self._squares, self._samples, self.clips.copy())
        self._peak = np.zeros_like(self._peak)
        self._squares = np.zeros_like(self._squares)
        self._samples = 0
        return out


@dataclass(frozen=True)
class Gathered:
    """Peak (linear), sum of squares, sample count, clips so far; arrays of shape (channels,)."""

    peak: Floats
    squares: NDArray[np.float64]
    samples: int
    clips: NDArray[np.int64]


@dataclass(frozen=True)
class Reading:
    """dBFS as shown, shape (channels,) each; ``max_dbfs`` is the highest since the last reset."""

    peak_dbfs: NDArray[np.float64]
    hold_dbfs: NDArray[np.float64]
    rms_dbfs: NDArray[np.float64]
    max_dbfs: NDArray[np.float64]
    clips: NDArray[np.int64]


class MeterFace:
    """Fall-back, hold and RMS averaging, driven by sample counts and never by a clock."""

    def __init__(self, channels: int, rate_hz: int) -> None:
        self._rate = rate_hz
        self._peak = np.full(channels, SILENCE_DB)
        self._hold = np.full(channels, SILENCE_DB)
        self._hold_left_s = np.zeros(channels)
        self._power = np.zeros(channels)
        self._max = np.full(channels, SILENCE_DB)

    def show(self, got: Gathered) -> Reading:
        """The reading after the gathered stretch; an empty stretch changes nothing."""
        if got.samples:
            seconds = got.samples / self._rate
            now = decibels_of(got.peak.astype(np.float64))
            self._peak = np.maximum(now, self._peak - FALL_DB_PER_S * seconds)
            self._hold_left_s -= seconds
            fresh = (now >= self._hold) | (self._hold_left_s <= 0.0)
            self._hold = np.where(fresh, self._peak, self._hold)
            self._hold_left_s = np.where(now >= self._hold, HOLD_S, self._hold_left_s)
            keep = np.exp(-seconds / RMS_SECONDS)
            self._power = self._power * keep + (1.0 - keep) * got.squares / got.samples
            self._max = np.maximum(self._max, now)
        rms = decibels_of(np.sqrt(self._power))
        return Reading(self._peak.copy(), self._hold.copy(), rms, self._max.copy(), got.clips)

    def reset(self, rows: "slice | NDArray[np.intp]" = slice(None)) -> None:
        self._max[rows] = SILENCE_DB
        self._hold[rows] = SILENCE_DB
        self._hold_left_s[rows] = 0.0


Kind = Literal["peak", "true", "vu", "loudness"]
KINDS: dict[Kind, str] = {"peak": "sample peak", "true": "true peak", "vu": "VU", "loudness": "loudness"}
"""What a meter reads."""

Point = Literal["input", "channel"]
POINTS: dict[Point, str] = {"input": "input", "channel": "after channel"}
"""Where a meter reads it."""

TARGET_WINDOW_DBFS = (-18.0, -12.0)
NO_SIGNAL_DBFS = -60.0


def zones(hold_dbfs: NDArray[np.float64], clips: NDArray[np.int64], windows: list[tuple[float, float]]) -> list[str]:
    """Where each held peak lies against its row's target window: none, below, in, above or clipped.

    Clipped stays until the count is reset.
    """
    lows, highs = np.array(windows, np.float64).reshape(-1, 2).T
    places = (hold_dbfs >= NO_SIGNAL_DBFS) * (1 + (hold_dbfs >= lows) + (hold_dbfs > highs))
    names = ("none", "below", "in", "above")
    return ["clipped" if clip else names[place] for place, clip in zip(places.tolist(), clips.tolist(), strict=True)]


def own_or_usual(own: Sequence[float], usual: Window) -> Window:
    """A track's target window: its own, two levels in dBFS, or the session's where it has none."""
    return (own[0], own[1]) if len(own) == 2 else usual


def louder_side(reading: Reading, channels: Sequence[int]) -> Reading:
    """Several channels read as one: the highest of each level, and all clips."""
    rows = np.array(channels, np.intp)
    return Reading(
        reading.peak_dbfs[rows].max(keepdims=True), reading.hold_dbfs[rows].max(keepdims=True),
        reading.rms_dbfs[rows].max(keepdims=True), reading.max_dbfs[rows].max(keepdims=True),
        reading.clips[rows].sum(keepdims=True),
    )

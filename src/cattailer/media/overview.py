"""Waveform overviews: a pyramid of lowest and highest values, kept beside the sound.

The base has one pair per 256 samples, and each further step four times as many samples per pair.
Stored as an open NumPy ``.npz``: ``level0``, ``level1`` … of int16, shape (channels, buckets, 2).
"""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from cattailer.media import wavfile

BUCKET = 256
FACTOR = 4
_STEP = 32767.0

Extremes = NDArray[np.int16]


def extremes(block: NDArray[np.float32]) -> Extremes:
    """Lowest and highest value of each whole bucket; block (channels, buckets*256)."""
    shaped = block.reshape(block.shape[0], -1, BUCKET)
    both = np.stack([shaped.min(axis=2), shaped.max(axis=2)], axis=2)
    return np.clip(np.rint(both * _STEP), -_STEP, _STEP).astype(np.int16)


class OverviewBuilder:
    """Builds the base while the sound arrives, in blocks of any size."""

    def __init__(self, channels: int) -> None:
        self._rest = np.zeros((channels, 0), np.float32)
        self._parts: list[Extremes] = []
        self.buckets = 0

    def add(self, block: NDArray[np.float32]) -> Extremes:
        """Takes (channels, samples); returns the buckets that became whole, (channels, n, 2)."""
        joined = np.concatenate([self._rest, block], axis=1) if self._rest.shape[1] else block
        whole = joined.shape[1] // BUCKET * BUCKET
        self._rest = joined[:, whole:].copy()
        made = extremes(joined[:, :whole])
        self._parts.append(made)
        self.buckets += made.shape[1]
        return made

    def base(self) -> Extremes:
        """All buckets, the last one perhaps from fewer samples."""
        parts = list(self._parts)
        if self._rest.shape[1]:
            padded = np.pad(self._rest, ((0, 0), (0, BUCKET - self._rest.shape[1])), mode="edge")
            parts.append(extremes(padded))
        if not parts:
            return np.zeros((self._rest.shape[0], 0, 2), np.int16)
        return np.concatenate(parts, axis=1)


def pyramid(base: Extremes) -> list[Extremes]:
    """The base and its coarser steps, down to at most 64 buckets."""
    levels = [base]
    while levels[-1].shape[1] > 64:
        fine = levels[-1]
        missing = -fine.shape[1] % FACTOR
        fine = np.pad(fine, ((0, 0), (0, missing), (0, 0)), mode="edge")
        shaped = fine.reshape(fine.shape[0], -1, FACTOR, 2)
        levels.append(np.stack([shaped[..., 0].min(axis=2), shaped[..., 1].max(axis=2)], axis=2))
    return levels


def save(path: Path, base: Extremes) -> None:
    levels = {f"level{n}": level for n, level in enumerate(pyramid(base))}
    part = path.with_suffix(".part")
    with open(part, "wb") as file:
        np.savez(file, allow_pickle=False, **levels)
    part.replace(path)


def load(path: Path) -> list[Extremes]:
    with np.load(path, allow_pickle=False) as stored:
        return [stored[f"level{n}"] for n in range(len(stored.files))]


def of_file(info: wavfile.WaveInfo) -> Extremes:
    """The base of a file that is already there, read in pieces."""
    builder = OverviewBuilder(info.format.channels)
    step = BUCKET * 1024
    for at in range(0, info.frames, step):
        builder.add(wavfile.read(info, at, step))
    return builder.base()


def window(levels: list[Extremes], start: int, stop: int, columns: int) -> Extremes:
    """``columns`` pairs for samples [start, stop), from the coarsest step that is fine enough.

    All channels are drawn as one. Shape (columns, 2); where there is no sound, zeros.
    """
    span = max(1, stop - start)
    out = np.zeros((columns, 2), np.int16)
    per_column = span / columns
    level, size = 0, BUCKET
    while level + 1 < len(levels) and size * FACTOR <= per_column:
        level, size = level + 1, size * FACTOR
    table = levels[level]
    if not table.shape[1]:
        return out
    edges = start + np.arange(columns + 1) * per_column
    first = np.floor(edges[:-1] / size).astype(int)
    last = np.maximum(np.ceil(edges[1:] / size).astype(int), first + 1)
    inside = (last > 0) & (first < table.shape[1])
    low, high = table[..., 0].min(axis=0), table[..., 1].max(axis=0)
    spans = np.stack([np.clip(first, 0, table.shape[1] - 1), np.clip(last, 1, table.shape[1])], axis=1)
    for column in np.flatnonzero(inside):
        a, b = spans[column]
        out[column] = low[a:b].min(), high[a:b].max()
    return out

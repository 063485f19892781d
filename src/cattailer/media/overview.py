"""Waveform overviews: lowest and highest values in two steps, kept beside the sound and written while it arrives.

The fine step has one pair for 256 samples, the coarse one for 16,384. Each is an open NumPy ``.npy`` of int16, shape
(buckets, channels, 2), so that what is drawn of a long take reads only what it draws.
"""

import io
from contextlib import suppress
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from cattailer.media import wavfile
from cattailer.media.disk import REAL, Disk, write_all

BUCKET = 256
COARSE = 64
"""Fine buckets in a coarse one."""
MOST_COLUMNS = 4000
"""The widest picture that is drawn of a stretch."""
_STEP = 32767.0
_HEADER_BYTES = 128

Extremes = NDArray[np.int16]


def overview_path(wave: Path) -> Path:
    """Where the fine step of a file's overview stands."""
    return wave.parent / "overview" / f"{wave.stem}.npy"


def _coarse_path(fine: Path) -> Path:
    return fine.with_suffix(".coarse.npy")


def extremes(block: NDArray[np.float32]) -> Extremes:
    """Lowest and highest value of each whole bucket; block (channels, buckets*256)."""
    shaped = block.reshape(block.shape[0], -1, BUCKET)
    both = np.stack([shaped.min(axis=2), shaped.max(axis=2)], axis=2)
    return np.clip(np.rint(both * _STEP), -_STEP, _STEP).astype(np.int16)


class OverviewBuilder:
    """Makes fine buckets of sound in blocks of any size."""

    def __init__(self, channels: int) -> None:
        self._rest = np.zeros((channels, 0), np.float32)
        self.buckets = 0

    def add(self, block: NDArray[np.float32]) -> Extremes:
        """Takes (channels, samples); returns the buckets that became whole, (channels, n, 2)."""
        joined = np.concatenate([self._rest, block], axis=1) if self._rest.shape[1] else block
        whole = joined.shape[1] // BUCKET * BUCKET
        self._rest = joined[:, whole:].copy()
        made = extremes(joined[:, :whole])
        self.buckets += made.shape[1]
        return made

    def rest(self) -> Extremes:
        """The last bucket, from fewer samples; none where all were whole."""
        if not self._rest.shape[1]:
            return np.zeros((self._rest.shape[0], 0, 2), np.int16)
        return extremes(np.pad(self._rest, ((0, 0), (0, BUCKET - self._rest.shape[1])), mode="edge"))


def coarser(fine: Extremes) -> Extremes:
    """(channels, n, 2) in steps of ``COARSE``; the last may be of fewer."""
    missing = -fine.shape[1] % COARSE
    shaped = np.pad(fine, ((0, 0), (0, missing), (0, 0)), mode="edge").reshape(fine.shape[0], -1, COARSE, 2)
    return np.stack([shaped[..., 0].min(axis=2), shaped[..., 1].max(axis=2)], axis=2)


class OverviewWriter:
    """Appends to the overview of one file. What it holds does not grow: ``flush`` lets go of it. Raises OSError."""

    def __init__(self, path: Path, channels: int, disk: Disk = REAL) -> None:
        self._steps = ((path, 0), (_coarse_path(path), 1))
        self._channels, self._disk = channels, disk
        self._written = [0, 0]
        self._fine: list[Extremes] = []
        self._short = np.zeros((channels, 0, 2), np.int16)

    def add(self, made: Extremes) -> None:
        if made.shape[1]:
            self._fine.append(made)

    def flush(self, last: bool = False) -> None:
        """Writes what came; with ``last`` also the coarse bucket that is not full."""
        fine = np.concatenate([np.zeros((self._channels, 0, 2), np.int16), *self._fine], axis=1)
        joined = np.concatenate([self._short, fine], axis=1)
        whole = joined.shape[1] if last else joined.shape[1] // COARSE * COARSE
        coarse, short = coarser(joined[:, :whole]), joined[:, whole:].copy()
        self._fine = []
        for (path, step), made in zip(self._steps, (fine, coarse), strict=True):
            self._append(path, step, made)
        self._short = short

    def take_away(self) -> None:
        """Raises OSError."""
        for path, _ in self._steps:
            self._disk.remove(path)

    def _append(self, path: Path, step: int, made: Extremes) -> None:
        file = self._disk.append(path)
        try:
            if not self._written[step]:
                file.truncate(0)
            data = np.ascontiguousarray(made.transpose(1, 0, 2)).astype("<i2").tobytes()
            write_all(file, data, _HEADER_BYTES + 4 * self._channels * self._written[step])
            self._written[step] += made.shape[1]
            write_all(file, _header(self._written[step], self._channels), 0)
        finally:
            file.close()


def _header(buckets: int, channels: int) -> bytes:
    text, shape = io.BytesIO(), (buckets, channels, 2)
    np.lib.format.write_array_header_1_0(text, {"descr": "<i2", "fortran_order": False, "shape": shape})
    return text.getvalue()


@dataclass(frozen=True)
class Overview:
    """Both steps as they lie on the disk, (buckets, channels, 2)."""

    fine: Extremes
    coarse: Extremes


def load(path: Path) -> Overview:
    """Nothing is read yet but what they are. Raises OSError, or ValueError when it is broken."""
    try:
        steps = [np.load(p, mmap_mode="r", allow_pickle=False) for p in (path, _coarse_path(path))]
    except EOFError as why:
        raise ValueError("the overview is empty") from why
    for step in steps:
        if step.ndim != 3 or step.shape[2] != 2 or step.dtype != np.int16:
            raise ValueError("the overview is broken")
    # Plain arrays over the same memory: a memmap costs with every slice of it.
    return Overview(*(step.view(np.ndarray) for step in steps))


def make(info: wavfile.WaveInfo, path: Path) -> None:
    """The overview of a file that is already there, read in pieces. Raises OSError."""
    builder, writer = OverviewBuilder(info.format.channels), OverviewWriter(path, info.format.channels)
    step = BUCKET * 1024
    path.parent.mkdir(exist_ok=True)
    for at in range(0, info.frames, step):
        writer.add(builder.add(wavfile.read(info, at, step)))
        writer.flush()
    writer.add(builder.rest())
    writer.flush(last=True)


def of_wave(wave: Path) -> Overview | None:
    """The stored overview of a file; made again when it is gone or broken, None when the sound is gone too."""
    stored = overview_path(wave)
    with suppress(OSError, ValueError):
        return _loaded(stored, stored.stat().st_mtime_ns)
    try:
        make(wavfile.inspect(wave), stored)
        return load(stored)
    except (OSError, ValueError):
        return None


@lru_cache(maxsize=1024)
def _loaded(path: Path, _written_ns: int) -> Overview:
    """What is mapped once is not mapped again until it was written anew."""
    return load(path)


def remove(wave: Path) -> None:
    """Takes the overview of a file away. Raises OSError."""
    for path in (overview_path(wave), _coarse_path(overview_path(wave))):
        path.unlink(missing_ok=True)


def window(found: Overview, start: int, stop: int, columns: int) -> Extremes:
    """``columns`` pairs for samples [start, stop), from the coarser step where that is fine enough.

    All channels are drawn as one. Shape (columns, 2); where there is no sound, zeros. Of the file only this stretch
    is read.
    """
    out = np.zeros((columns, 2), np.int16)
    per_column = max(1, stop - start) / columns
    coarse = per_column >= BUCKET * COARSE
    table, size = (found.coarse, BUCKET * COARSE) if coarse else (found.fine, BUCKET)
    edges = start + np.arange(columns + 1) * per_column
    first = np.floor(edges[:-1] / size).astype(int)
    last = np.maximum(np.ceil(edges[1:] / size).astype(int), first + 1)
    inside = np.flatnonzero((last > 0) & (first < table.shape[0]))
    if not len(inside):
        return out
    low, high = max(0, int(first[inside[0]])), min(table.shape[0], int(last[inside[-1]]))
    part = np.asarray(table[low:high])
    for side, gather in ((0, np.minimum), (1, np.maximum)):
        one = gather.reduce(part[:, :, side], axis=1)
        starts, stops = np.clip(first[inside] - low, 0, len(one) - 1), np.clip(last[inside] - low, 1, len(one))
        # From start to stop, and from there to the next start, which nobody wants.
        bounds = np.stack([starts, stops], axis=1).ravel()
        out[inside, side] = gather.reduceat(np.append(one, one[-1]), bounds)[::2]
    return out

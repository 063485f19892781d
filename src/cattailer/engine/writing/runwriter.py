"""Captured sound on its way to disk: the run, its files and its journal.

The block path only fills the input ring. ``RunWriter.pump`` takes from the ring what has come,
in its own thread or, with the virtual clock, between blocks.
"""

import time
import zlib
from collections import deque
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from cattailer.core.sound.meters import BlockMeter
from cattailer.core.units import decibels
from cattailer.engine.block.ring import Ring
from cattailer.engine.messages.telemetry import Telemetry
from cattailer.media import bwf, journal, overview, pcm
from cattailer.media.recovery import overview_path

SYNC_S = 1.0
MOST_AT_ONCE = 48000
_RESERVE_BYTES = 1 << 18

DISK_FULL = "The disk is full. The capture was stopped; everything until then is kept. Free some space, then go on."
DISK_FAILED = "The disk refused to write ({why}). The capture was stopped; everything until then is kept."


@dataclass
class _Track:
    """One file being written, and the rows of the run's block that belong to it."""

    file: journal.RunFile
    writer: bwf.BwfWriter
    rows: slice
    crc32: int = 0


class RunWriter:
    """One run. ``begin`` and ``finish`` are called by the block path and only set a sample count.

    Raises OSError or FileExistsError from the constructor when the files cannot be made; none is
    left behind then.
    """

    def __init__(
        self, folder: Path, stem: str, header: journal.RunHeader, ring: Ring,
        tell: Callable[[Telemetry], None], open_file: bwf.Opener = bwf.create_new,
    ) -> None:
        self.header = header
        self.frames = 0
        self.done = False
        self.message = ""
        self.story: journal.RunStory | None = None
        self._ring = ring
        self._tell = tell
        self._first: int | None = None
        self._off = False
        self._stop: int | None = None
        self._lost: deque[tuple[int, int, float]] = deque()
        self._dropouts: list[journal.Dropout] = []
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        (folder / "overview").mkdir(exist_ok=True)
        self._inputs = np.array([i for f in header.files for i in f.inputs], np.intp)
        self._meter = BlockMeter(len(self._inputs), header.bits)
        self._overview = overview.OverviewBuilder(len(self._inputs))
        self._tracks: list[_Track] = []
        self._dither = np.random.default_rng(header.number) if header.bits == 16 else None
        self._journal = journal.JournalWriter(folder / f"{stem}{journal.SUFFIX}", header)
        try:
            self._reserve = folder / f".{stem}.reserve"
            self._reserve.write_bytes(bytes(_RESERVE_BYTES))
            self._open_files(open_file)
        except OSError:
            self._undo()
            raise
        self._synced_at = time.monotonic()

    def _open_files(self, open_file: bwf.Opener) -> None:
        row = 0
        for file in self.header.files:
            origin = bwf.Origin(
                self.header.title, file.name, self.header.start, datetime.fromisoformat(self.header.began_at),
                f"run {self.header.number}", file.inputs,
                "counted in, before the take" if self.header.lead_in_of else "", file.feed,
            )
            fmt = bwf.Format(self.header.rate_hz, file.channels, self.header.bits)
            writer = bwf.BwfWriter(self.folder / file.path, fmt, origin, open_file)
            self._tracks.append(_Track(file, writer, slice(row, row + file.channels)))
            row += file.channels

    def _close_files(self) -> None:
        for track in self._tracks:
            track.writer.abandon()
        self._undo()
        with suppress(OSError):  # the run before may have left something here
            (self.folder / "overview").rmdir()
            self.folder.rmdir()

    def _undo(self) -> None:
        self._journal.close()
        for path in (self._journal.path, self._reserve, *(t.writer.path for t in self._tracks)):
            path.unlink(missing_ok=True)

    def begin(self, sample: int) -> None:
        """The run's first sample is ring sample ``sample`` (perhaps still to come)."""
        self._first = sample

    def finish(self, sample: int) -> None:
        """The run ends before ring sample ``sample``."""
        self._stop = sample

    def call_off(self) -> None:
        """Nothing is to be kept: called before the first sample, it takes the files away again."""
        self._off = True

    def lost(self, sample: int, samples: int, load: float = 0.0) -> None:
        """``samples`` from ring sample ``sample`` never arrived, at that load; the ring holds silence there."""
        self._lost.append((sample, samples, load))

    def pump(self) -> None:
        """Writes what has come. Once the run has ended, closes everything and sets ``done``."""
        if self._off and not self.done:
            self._close_files()
            self.done = True
        if self.done or self._first is None:
            return
        try:
            while self._write_some():
                pass
            while self._lost:
                self._mark(*self._lost.popleft())
            ended = self._stop is not None and self._first + self.frames >= self._stop
            if not ended and time.monotonic() - self._synced_at >= SYNC_S:
                self._sync()
        except OSError as why:
            self._give_up(why)
            return
        if ended:
            self._close()

    def _write_some(self) -> bool:
        assert self._first is not None
        at = self._first + self.frames
        until = min(self._ring.written, self._stop if self._stop is not None else 1 << 62, at + MOST_AT_ONCE)
        if until <= at:
            return False
        block = self._ring.read(at, until, self._inputs)
        if block is None:
            # The disk was slower than the ring is long: what was overwritten is lost.
            until = min(self._ring.oldest + self._ring.size // 4, self._ring.written)
            self._mark(at, until - at)
            block = np.zeros((len(self._inputs), until - at), np.float32)
        self._append(block)
        return True

    def _append(self, block: NDArray[np.float32]) -> None:
        made = pcm.words(block, self.header.bits, self._dither)
        for track in self._tracks:
            data = pcm.interleaved(made[track.rows])
            track.writer.append(data)
            track.crc32 = zlib.crc32(data, track.crc32)
        self.frames += block.shape[1]
        self._meter.add(block)
        drawn = self._overview.add(block)
        if drawn.shape[1]:
            self._tell({
                "topic": "wave", "run": self.header.run, "start": self.header.start,
                "bucket": self._overview.buckets - drawn.shape[1], "size": overview.BUCKET,
                "tracks": [(t.file.track, _envelope(drawn[t.rows])) for t in self._tracks],
            })

    def _mark(self, sample: int, samples: int, load: float = 0.0) -> None:
        assert self._first is not None
        a = max(0, sample - self._first)
        b = sample + samples - self._first
        if self._stop is not None:
            b = min(b, self._stop - self._first)
        if b > a:
            dropout = journal.Dropout(a, b - a, round(load, 3))
            self._dropouts.append(dropout)
            self._journal.dropout(dropout)
            at = self.header.start + a
            self._tell({"topic": "event", "kind": "dropout", "at": at, "samples": b - a, "load": load})

    def _sync(self) -> None:
        for track in self._tracks:
            track.writer.refresh()
        self._journal.synced(self.frames)
        self._synced_at = time.monotonic()

    def _give_up(self, why: OSError) -> None:
        """The disk would not take more: keeps what every file has, frees the reserve, ends the run."""
        self.message = DISK_FULL if why.errno in (28, 122) else DISK_FAILED.format(why=why.strerror or why)
        self._reserve.unlink(missing_ok=True)
        self.frames = min(t.writer.frames for t in self._tracks)
        for track in self._tracks:
            track.writer.keep(self.frames)
        self._tell({"topic": "event", "kind": "halt", "message": self.message})
        self._close(cut=True)

    def _close(self, cut: bool = False) -> None:
        ends = []
        markers = [
            bwf.Marker(d.offset, f"dropout, {d.samples} samples, load {100 * d.load:.0f} %") for d in self._dropouts
        ]
        got = self._meter.take()
        base = self._overview.base()
        for track in self._tracks:
            try:
                track.writer.close(markers)
                overview.save(overview_path(track.writer.path), base[track.rows])
            except OSError as why:
                self.message = self.message or DISK_FAILED.format(why=why.strerror)
            ends.append(journal.FileEnd(
                track.file.path,
                round(decibels(float(got.peak[track.rows].max(initial=0.0))), 2),
                int(got.clips[track.rows].sum()),
                "" if cut else f"{track.crc32:08x}",
            ))
        self._reserve.unlink(missing_ok=True)
        try:
            self._journal.end(self.frames, ends, self.message)
        except OSError:
            self._journal.close()
        self.story = journal.RunStory(
            self._journal.path, self.header, self.frames, self._dropouts, self.message, True, False, ends
        )
        self.done = True
        self._tell({"topic": "event", "kind": "run", "run": self.header.run, "journal": str(self._journal.path)})


def _envelope(drawn: NDArray[np.int16]) -> list[int]:
    """The lowest and highest of all channels, pair by pair."""
    both = np.stack([drawn[:, :, 0].min(axis=0), drawn[:, :, 1].max(axis=0)], axis=1)
    return [int(v) for v in both.ravel()]

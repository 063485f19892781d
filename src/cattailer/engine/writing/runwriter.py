"""Captured sound on its way to disk: what came into the ring is appended to the files of a run.

The block path only fills the ring. Two threads do the rest, or one between blocks with the virtual clock: ``write``
appends and never waits for a sync, ``keep`` syncs, writes the journal and closes (``runkeeper.py``).
"""

import errno
import threading
import zlib
from collections import deque
from collections.abc import Callable, Collection
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from cattailer.core.sound.meters import MOST_CLIPS, BlockMeter
from cattailer.engine.block.ring import Ring
from cattailer.engine.messages.telemetry import Telemetry
from cattailer.engine.writing.prints import RunPrints
from cattailer.engine.writing.runfiles import RunFiles
from cattailer.media import journal, overview, pcm
from cattailer.media.disk import REAL, Disk

MOST_AT_ONCE = 48000
DISK_FULL = "The disk is full. {then} everything until then is kept. Free some space."
DISK_FAILED = "The disk refused to write ({why}). {then} everything until then is kept."
FOLDER_GONE = (
    "The media folder is not where it was any more. {then} what was written until then is in the folder, wherever it "
    "is now. Put it back."
)
ENDS, GOES_ON = "The capture was stopped;", "The capture goes on in {};"
NO_BRACES = str.maketrans("{}", "()")
LEAD_IN_FAILED = "What was counted in could not be kept ({why}). The capture goes on."


class RunWriter:
    """One run. ``begin``, ``finish``, ``lost`` and ``call_off`` are called by the block path and only note something.

    ``ended`` once nothing more will be appended, ``done`` once everything is closed. Raises what ``RunFiles`` raises.
    """

    def __init__(
        self, folder: Path, stem: str, header: journal.RunHeader, ring: Ring,
        tell: Callable[[Telemetry], None], disk: Disk = REAL,
    ) -> None:
        self.header = header
        self.files = RunFiles(folder, stem, header, disk)
        self.frames = 0
        self.ended = self.done = self.off = False
        self.message = ""
        self.story: journal.RunStory | None = None
        self.behind = 0
        """How often the disk was so slow that sound was lost."""
        self.dropouts: list[journal.Dropout] = []
        self.fallback: Path | None = None
        """Where it goes on if this disk fails."""
        self.prints: RunPrints | None = None
        """Set before the run begins, where tracks print their effects."""
        self.writing = threading.Lock()
        """Held while appending; never by the block path."""
        self.tell = tell
        self._ring = ring
        self.first: int | None = None
        """The ring sample that is the run's first, once it is known."""
        self.held: int | None = None
        """From this ring sample on it is not known yet whether it belongs to the run."""
        self.stop: int | None = None
        """The ring sample before which it ends, once that is known."""
        self._gap_until = 0
        self._lost: deque[tuple[int, int, float, str]] = deque()
        self._inputs = np.array([i for f in header.files for i in f.inputs], np.intp)
        self.meter = BlockMeter(len(self._inputs), header.bits)
        self._track_of = [t.file.track for t in self.files.tracks for _ in range(t.file.channels)]
        self.clips_at: dict[int, list[int]] = {t.file.track: [] for t in self.files.tracks}
        """Where each track clipped, in samples of the run; the first of them."""
        self.drawn = overview.OverviewBuilder(len(self._inputs))
        self._dither = np.random.default_rng(header.number) if header.bits == 16 else None
        self.left: dict[int, int] = {}
        """How many frames tracks have that were disarmed in mid-run."""

    def begin(self, sample: int) -> None:
        """The run's first sample is ring sample ``sample`` (perhaps still to come)."""
        self.first = sample

    def finish(self, sample: int) -> None:
        """The run ends before ring sample ``sample``, or where it was to end, if that is earlier."""
        self.stop = sample if self.stop is None else min(self.stop, sample)

    def leave(self, tracks: Collection[int], sample: int) -> None:
        """These tracks end here, or at ring sample ``sample`` if that is later; the others go on. Never called by the
        block path."""
        with self.writing:
            for track in tracks:
                came = 0 if self.first is None else max(self.frames, sample - self.first)
                self.left.setdefault(track, came)

    def frames_of(self, track: int) -> int:
        return min(self.frames, self.left.get(track, self.frames))

    @property
    def whole(self) -> int:
        """How much every file has that still goes on."""
        going = [t.writer.frames for t in self.files.tracks if t.file.track not in self.left]
        return min(going, default=self.frames)

    def call_off(self) -> None:
        """Nothing is to be kept: called before the first sample, it takes the files away again."""
        self.off = True

    def lost(self, sample: int, samples: int, load: float = 0.0) -> None:
        """``samples`` from ring sample ``sample`` never arrived, at that load; the ring holds silence there."""
        self._lost.append((sample, samples, load, ""))

    def fail(self, why: OSError | str) -> None:
        """Ends the run here and now, and tells why, before anything else is tried."""
        if not self.message:
            then = ENDS if self.fallback is None else GOES_ON.format(self.fallback)
            self.message = (why if isinstance(why, str) else self._words(why)).format(then=then)
            self.ended = True
            self.tell({"topic": "event", "kind": "halt", "message": self.message})

    def give_way(self) -> bool:
        """Made ready where the disk failed since: another is made in its place, so that numbers follow the order
        played. False once it has begun."""
        with self.writing:
            if self.frames or self.message:
                return False
            self.message, self.ended = "made anew elsewhere", True
            return True

    def _words(self, why: OSError) -> str:
        full = why.errno in (errno.ENOSPC, errno.EDQUOT)
        said = why.strerror or str(why)
        if self.header.lead_in_of:
            return LEAD_IN_FAILED.format(why="the disk is full" if full else said.translate(NO_BRACES))
        return DISK_FULL if full else DISK_FAILED.format(why=said.translate(NO_BRACES), then="{then}")

    def write(self) -> None:
        """Appends what has come."""
        if self.first is None or self.ended or self.off:
            return
        with self.writing:
            try:
                while not self.ended and self._write_some():
                    pass
            except OSError as why:
                self.fail(why)
            while self._lost:
                self._mark(*self._lost.popleft())
            if self.stop is not None and self.first + self.frames >= self.stop:
                self.ended = True

    def _write_some(self) -> bool:
        assert self.first is not None
        at = self.first + self.frames
        known = self._ring.written if self.prints is None else self.prints.known
        until = min(known, at + MOST_AT_ONCE, *(n for n in (self.stop, self.held) if n is not None))
        if until <= at:
            return False
        block = None if at < self._gap_until else self._ring.read(at, until, self._inputs)
        if block is None:
            until = min(until, self._skip_to(at))
            block = np.zeros((len(self._inputs), until - at), np.float32)
        elif self.prints is not None:
            self.prints.process(block, at)
        self._append(block)
        return True

    def _skip_to(self, at: int) -> int:
        """Where the ring holds sound again, when the disk was slower than the ring is long: until there it is lost."""
        if at >= self._gap_until:
            self._gap_until = min(self._ring.oldest + self._ring.size // 4, self._ring.written)
            if self.stop is not None:
                self._gap_until = min(self._gap_until, self.stop)
            self.behind += 1
            self._lost.append((at, self._gap_until - at, 0.0, journal.DISK))
        return self._gap_until

    def _append(self, block: NDArray[np.float32]) -> None:
        room = {t.file.track: max(0, self.left[t.file.track] - self.frames) for t in self.files.tracks
                if t.file.track in self.left}
        for track in [t for t in self.files.tracks if t.file.track in room]:
            block[track.rows, room[track.file.track] :] = 0.0
        made = pcm.words(block, self.header.bits, self._dither)
        writing = [t for t in self.files.tracks if room.get(t.file.track, 1)]
        for track in writing:
            data = pcm.interleaved(made[track.rows, : room.get(track.file.track)])
            track.writer.append(data)
            track.crc32 = zlib.crc32(data, track.crc32)
        self.meter.add(block)
        self._note_clips()
        self.frames += block.shape[1]
        drawn = self.drawn.add(block)
        if drawn.shape[1]:
            for track in writing:
                track.overview.add(drawn[track.rows])
            self.tell({
                "topic": "wave", "run": self.header.run, "start": self.header.start,
                "bucket": self.drawn.buckets - drawn.shape[1], "size": overview.BUCKET,
                "tracks": [(t.file.track, _envelope(drawn[t.rows])) for t in writing],
            })

    def _note_clips(self) -> None:
        for channel, sample in self.meter.fresh:
            track, offset = self._track_of[channel], max(0, self.frames + sample)
            if len(self.clips_at[track]) < MOST_CLIPS:
                self.clips_at[track].append(offset)
                self.tell({"topic": "event", "kind": "clip", "at": self.header.start + offset, "track": track})

    def _mark(self, sample: int, samples: int, load: float, cause: str) -> None:
        assert self.first is not None
        a = max(0, sample - self.first)
        b = sample + samples - self.first
        if self.stop is not None:
            b = min(b, self.stop - self.first)
        if b > a:
            self.dropouts.append(journal.Dropout(a, b - a, round(load, 3), cause))
            at = self.header.start + a
            self.tell({
                "topic": "event", "kind": "dropout", "at": at, "samples": b - a, "load": load, "cause": cause,
            })


def _envelope(drawn: NDArray[np.int16]) -> list[int]:
    """The lowest and highest of all channels, pair by pair."""
    both = np.stack([drawn[:, :, 0].min(axis=0), drawn[:, :, 1].max(axis=0)], axis=1)
    return [int(v) for v in both.ravel()]

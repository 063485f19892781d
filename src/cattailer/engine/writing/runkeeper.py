"""Bringing a run to the disk and closing it, beside the thread that writes.

What a slow or failing disk does here never holds up writing, and each step stands alone: whatever fails, the next is
still tried, and in the end the run is done.
"""

import time
from contextlib import suppress

from cattailer.core.units import decibels
from cattailer.engine.writing.runfiles import TrackFile
from cattailer.engine.writing.runwriter import FOLDER_GONE, RunWriter
from cattailer.media import bwf, journal

SYNC_S = 1.0


class RunKeeper:
    """Keeps one run; used by one thread."""

    def __init__(self, run: RunWriter) -> None:
        self.run = run
        self._synced_at = 0.0
        self._marked = 0
        self._folders_synced = False
        self._drawing = True

    def keep(self) -> None:
        """Syncs when it is time; takes a run away that was called off, closes one that has ended."""
        run = self.run
        if run.done:
            return
        if run.off or (run.ended and not run.frames):
            with run.writing:
                run.files.take_away()
            run.ended = run.done = True
        elif run.ended:
            self._close()
        elif time.monotonic() - self._synced_at >= SYNC_S:
            try:
                self._sync()
            except OSError as why:
                run.fail(why)
            self._synced_at = time.monotonic()

    def _sync(self) -> None:
        """Raises OSError."""
        run, frames = self.run, self.run.frames
        assert run.files.journal is not None
        if not run.files.journal.is_there():
            run.fail(FOLDER_GONE)
            return
        if not self._folders_synced:
            run.files.sync_folders()
            self._folders_synced = True
        for track in run.files.tracks:
            track.writer.refresh(min(frames, run.frames_of(track.file.track)))
            self._draw(track)
        self._note_dropouts()
        run.files.journal.synced(frames)

    def _note_dropouts(self) -> None:
        """Raises OSError."""
        assert self.run.files.journal is not None
        while self._marked < len(self.run.dropouts):
            self.run.files.journal.dropout(self.run.dropouts[self._marked])
            self._marked += 1

    def _draw(self, track: TrackFile, last: bool = False) -> None:
        """An overview can be made again, so it never ends a run."""
        if self._drawing:
            try:
                track.overview.flush(last)
            except OSError:
                self._drawing = False

    def _close(self) -> None:
        run = self.run
        try:
            with run.writing:  # it may still be in the middle of its last block
                self._close_files()
        finally:
            run.done = True
            run.tell({"topic": "event", "kind": "run", "run": run.header.run, "journal": str(run.files.path)})

    def _close_files(self) -> None:
        run, files = self.run, self.run.files
        assert files.journal is not None
        cut = bool(run.message)
        if cut:
            files.free_reserve()
            run.frames = run.whole
            for track in files.tracks:
                with suppress(OSError):
                    track.writer.keep(run.frames_of(track.file.track))
        with suppress(OSError):
            if not self._folders_synced:
                files.sync_folders()
        with suppress(OSError):
            self._note_dropouts()
        with suppress(OSError):
            files.journal.whole(run.frames)
        markers = [bwf.Marker(d.offset, _label(d)) for d in run.dropouts if d.offset < run.frames]
        got, ends = run.meter.take(), []
        for track in list(files.tracks):
            frames = run.frames_of(track.file.track)
            if not frames:
                files.remove(track)  # disarmed before it began
                continue
            try:
                clipped = [bwf.Marker(n, "clipped") for n in run.clips_at[track.file.track] if n < frames]
                own = [m for m in markers if m.offset < frames]
                track.writer.close(sorted([*own, *clipped], key=lambda m: m.offset))
            except OSError as why:
                run.fail(why)
            peak = round(decibels(float(got.peak[track.rows].max(initial=0.0))), 2)
            clips, crc32 = int(got.clips[track.rows].sum()), "" if cut else f"{track.crc32:08x}"
            ends.append(journal.FileEnd(
                track.file.path, peak, clips, crc32, frames, tuple(run.clips_at[track.file.track])
            ))
        files.free_reserve()
        with suppress(OSError):
            files.journal.end(run.frames, ends, run.message)
        run.story = journal.RunStory(
            files.path, run.header, run.frames, run.dropouts, run.message, True, False, ends, run.frames
        )
        rest = run.drawn.rest()
        for track in files.tracks:
            if track.file.track not in run.left:
                track.overview.add(rest[track.rows])
            self._draw(track, last=True)
        # Last: the lock on it says that somebody is still at work here.
        with suppress(OSError):
            files.journal.close()


def _label(dropout: journal.Dropout) -> str:
    why = "the disk was too slow" if dropout.cause == journal.DISK else f"load {100 * dropout.load:.0f} %"
    return f"dropout, {dropout.samples} samples, {why}"

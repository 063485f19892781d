"""What is in use of tracks, written out as Broadcast WAV."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np

from cattailer.core.takes.pieces import Piece
from cattailer.core.time.timeline import clock_text
from cattailer.core.units import decibels
from cattailer.media import bwf
from cattailer.media.piecesound import PieceReader, heard_exactly

STEP = 1 << 17


@dataclass(frozen=True)
class Wanted:
    """A track as it is to be written: its ``pieces``, in timeline [start, stop), which is the same for all tracks of a
    writing."""

    name: str
    stem: str
    channels: int
    pieces: tuple[Piece, ...]
    start: int
    stop: int

    @property
    def samples(self) -> int:
        return self.stop - self.start


@dataclass(frozen=True)
class WrittenOut:
    """``missing`` are files that could not be read: silent in it."""

    track: str
    path: Path
    channels: int
    samples: int
    start: int
    peak_dbfs: float
    missing: tuple[str, ...]

    def plain(self) -> dict[str, Any]:
        """As every command prints files."""
        return {
            "track": self.track, "path": str(self.path), "channels": self.channels, "samples": self.samples,
            "start": self.start, "peak_dbfs": self.peak_dbfs, "pass": 1, "kind": "comp",
        }


class Stopped(Exception):
    """Somebody did not want it any more."""


def write(
    wanted: Wanted, folder: Path, session: str, rate_hz: int, bits: int, tell: Callable[[int], bool] | None = None
) -> WrittenOut:
    """One track into a folder; never over a file. ``tell`` is called with the samples that were written, and stops it
    with False. Raises FileExistsError, OSError, Stopped; nothing half is left behind then."""
    now, begins = datetime.now().astimezone(), where(wanted.start, rate_hz)
    origin = bwf.Origin(session, wanted.name, wanted.start, now, "in use", note=begins, feed="takes")
    writer = bwf.BwfWriter(folder / f"{wanted.stem}.wav", bwf.Format(rate_hz, wanted.channels, bits), origin)
    read, peak, stop = PieceReader(), 0.0, wanted.start + wanted.samples
    try:
        for at in range(wanted.start, stop, STEP):
            sound = heard_exactly(wanted.pieces, at, min(at + STEP, stop), wanted.channels, read)
            peak = max(peak, float(np.abs(sound).max(initial=0.0)))
            writer.write(sound)
            if tell is not None and not tell(sound.shape[1]):
                raise Stopped
    except BaseException:
        writer.abandon()
        writer.path.unlink(missing_ok=True)
        raise
    writer.close()
    return WrittenOut(
        wanted.name, writer.path, wanted.channels, wanted.samples, wanted.start, decibels(peak), tuple(read.missing)
    )


def in_use(
    tracks: Sequence[tuple[int, str, int]], stems: Sequence[str], pieces: Sequence[Piece], first: int, as_it_lies: bool
) -> list[Wanted]:
    """What is to be written of ``tracks`` (id, name, channels): all from one place on, which is ``first``, or earlier
    where something sounds before it; with ``as_it_lies`` it is where the first sound of any track is. They end
    together. Tracks of which nothing sounds are left out."""
    own = {track: tuple(p for p in pieces if p.track == track) for track, _, _ in tracks}
    every = [p for lying in own.values() for p in lying]
    if not every:
        return []
    start, stop = min(p.start for p in every), max(p.start + p.samples for p in every)
    begins = start if as_it_lies else min(first, start)
    return [
        Wanted(name, stem, channels, own[track], begins, stop)
        for (track, name, channels), stem in zip(tracks, stems, strict=True) if own[track]
    ]


def where(start: int, rate_hz: int) -> str:
    """Where files of a writing begin, in words. No time stamp is below 0: they count from the files' beginning then."""
    if start >= 0:
        return f"begins at {clock_text(start, rate_hz)} of the timeline"
    return f"begins {-start / rate_hz:.3f} s before 0 of the timeline, where its time stamp counts from"

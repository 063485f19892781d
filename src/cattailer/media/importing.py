"""A sound file from elsewhere as a run of its own: the session's rate and depth, a journal, overviews."""

import zlib
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from itertools import chain
from pathlib import Path

import numpy as np
import soxr
from numpy.typing import NDArray

from cattailer.core.errors import Refusal
from cattailer.core.sound.meters import BlockMeter
from cattailer.core.units import decibels
from cattailer.media import bwf, journal, overview, pcm, wavfile
from cattailer.media.journal import FileEnd, RunFile, RunHeader
from cattailer.media.runfile import format_of, origin_of
from cattailer.media.soundfiles import Sound

Floats = NDArray[np.float32]
FLOAT = 32


class Louder(Exception):
    """The sound goes over full scale, by ``over_db``, and the files hold whole numbers."""

    def __init__(self, over_db: float) -> None:
        super().__init__(f"{over_db:.1f} dB over full scale")
        self.over_db = over_db


class _Written:
    """One file of the run while it is written, from some of the sound's channels."""

    def __init__(self, header: RunHeader, file: RunFile, channels: Sequence[int], folder: Path) -> None:
        fmt, self._file, self._channels = format_of(header, file), file, list(channels)
        self.path, self._bits, self._crc = folder / file.path, fmt.bits, 0
        self.writer = bwf.BwfWriter(self.path, fmt, origin_of(header, file))
        self._meter = BlockMeter(fmt.channels, fmt.bits)
        self._dither = np.random.default_rng((header.number, file.track))

    def add(self, block: Floats) -> None:
        own = np.ascontiguousarray(block[self._channels])
        data = pcm.interleaved(pcm.words(own, self._bits, self._dither))
        self.writer.append(data)
        self._crc = zlib.crc32(data, self._crc)
        self._meter.add(own)

    def close(self) -> FileEnd:
        frames = self.writer.frames
        self.writer.close([])
        with suppress(OSError):
            overview.make(wavfile.inspect(self.path), overview.overview_path(self.path))
        got = self._meter.take()
        peak = round(decibels(float(got.peak.max(initial=0.0))), 2)
        return FileEnd(self._file.path, peak, int(got.clips.sum()), f"{self._crc:08x}", frames)

    def abandon(self) -> None:
        with suppress(OSError):
            self.writer.abandon()
        for path in (self.path, overview.overview_path(self.path)):
            path.unlink(missing_ok=True)


def import_sound(
    sound: Sound, folder: Path, stem: str, header: RunHeader, channels: Sequence[Sequence[int]],
    tell: Callable[[int], None] = lambda _: None,
) -> journal.RunStory:
    """Writes the run that the header says; ``channels`` are those of the sound that each of its files gets. ``tell``
    hears how many samples there are, and may raise to stop it. Raises OSError, FileExistsError, Refusal where the sound
    breaks off or holds what is no number, Louder for what only float files can hold, and what ``tell`` raised; nothing
    is left behind then."""
    folder.parent.mkdir(exist_ok=True)
    folder.mkdir(exist_ok=True)
    log = journal.JournalWriter(folder / f"{stem}{journal.SUFFIX}", header)
    written: list[_Written] = []
    peak = 0.0
    try:
        for file, own in zip(header.files, channels, strict=True):
            written.append(_Written(header, file, own, folder))
        for block in _at_rate(sound, header.rate_hz):
            peak = max(peak, float(np.abs(block).max(initial=0.0)))
            for each in written:
                each.add(block)
            tell(written[0].writer.frames)
        if peak > 1.0 and header.bits != FLOAT:
            raise Louder(decibels(peak))
        ends = [each.close() for each in written]
        frames = written[0].writer.frames
        log.whole(frames)
        log.end(frames, ends)
    except BaseException:
        for each in written:
            each.abandon()
        log.path.unlink(missing_ok=True)
        with suppress(OSError):
            folder.rmdir()
        raise
    finally:
        log.close()
    return journal.read(log.path)


def _at_rate(sound: Sound, rate_hz: int) -> Iterator[Floats]:
    """Its blocks at a rate, shape (channels, samples). Raises Refusal for what is no number."""
    if sound.rate_hz == rate_hz:
        yield from (np.ascontiguousarray(_numbers(sound, block), np.float32) for block in sound.blocks())
        return
    stream = soxr.ResampleStream(sound.rate_hz, rate_hz, sound.channels, dtype="float32", quality="VHQ")
    nothing = np.zeros((sound.channels, 0), np.float32)
    for block, last in chain(((block, False) for block in sound.blocks()), [(nothing, True)]):
        made = np.asarray(stream.resample_chunk(np.ascontiguousarray(_numbers(sound, block).T), last=last))
        if len(made):
            made = made.reshape(-1, sound.channels).T
            yield np.ascontiguousarray(made, np.float32)


def _numbers(sound: Sound, block: Floats) -> Floats:
    if not np.isfinite(block).all():
        raise Refusal(f"{sound.name} holds samples that are no numbers. Export it again; nothing was changed.")
    return block

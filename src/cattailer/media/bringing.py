"""A sound file from elsewhere as a run of its own: the session's rate and depth, a journal, an overview."""

import zlib
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path

import numpy as np
import soxr
from numpy.typing import NDArray

from cattailer.core.sound.meters import BlockMeter
from cattailer.core.units import decibels
from cattailer.media import bwf, journal, overview, pcm, wavfile
from cattailer.media.runfile import format_of, origin_of
from cattailer.media.soundfiles import Sound

Floats = NDArray[np.float32]
NO_SOUND = -200.0


def bring_in(
    sound: Sound, folder: Path, stem: str, header: journal.RunHeader, told: Callable[[int], None] = lambda _: None
) -> journal.RunStory:
    """Writes the run of one file that the header says; ``told`` hears how many samples it has. Raises OSError,
    FileExistsError, and Refusal where the sound breaks off; nothing is left behind then."""
    (file,) = header.files
    fmt, path = format_of(header, file), folder / file.path
    folder.parent.mkdir(exist_ok=True)
    folder.mkdir(exist_ok=True)
    log = journal.JournalWriter(folder / f"{stem}{journal.SUFFIX}", header)
    try:
        writer = bwf.BwfWriter(path, fmt, origin_of(header, file))
        try:
            crc, meter = 0, BlockMeter(fmt.channels, fmt.bits)
            dither = np.random.default_rng(header.number) if fmt.bits == 16 else None
            for block in _at_rate(sound, header.rate_hz):
                data = pcm.interleaved(pcm.words(block, fmt.bits, dither))
                writer.append(data)
                crc = zlib.crc32(data, crc)
                meter.add(block)
                told(writer.frames)
            frames = writer.frames
            writer.close([])
        except BaseException:
            with suppress(OSError):
                writer.abandon()
            path.unlink(missing_ok=True)
            raise
        got = meter.take()
        peak = round(decibels(float(got.peak.max(initial=0.0))), 2)
        end = journal.FileEnd(file.path, peak, int(got.clips.sum()), f"{crc:08x}", frames)
        with suppress(OSError):
            overview.make(wavfile.inspect(path), overview.overview_path(path))
        log.whole(frames)
        log.end(frames, [end])
    except BaseException:
        log.path.unlink(missing_ok=True)
        with suppress(OSError):
            folder.rmdir()
        raise
    finally:
        log.close()
    return journal.read(log.path)


def _at_rate(sound: Sound, rate_hz: int) -> Iterator[Floats]:
    """Its blocks at a rate, shape (channels, samples); what is louder than full scale is cut off there."""
    if sound.rate_hz == rate_hz:
        yield from (np.ascontiguousarray(np.clip(block, -1.0, 1.0), np.float32) for block in sound.blocks())
        return
    stream = soxr.ResampleStream(sound.rate_hz, rate_hz, sound.channels, dtype="float32", quality="VHQ")
    left = sound.samples
    for block in sound.blocks():
        left -= block.shape[1]
        made = np.asarray(stream.resample_chunk(np.ascontiguousarray(block.T), last=left <= 0))
        if len(made):
            made = made.reshape(-1, sound.channels).T
            yield np.ascontiguousarray(np.clip(made, -1.0, 1.0), np.float32)

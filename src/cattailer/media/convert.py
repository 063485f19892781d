"""A file at another sample rate (libsoxr, very high quality), at the moment where it was."""

import zlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import soxr

from cattailer.core.gear.rates import rescaled
from cattailer.core.units import decibels
from cattailer.media import bwf, pcm, wavfile

PIECE, FLOAT = 1 << 16, 32


class Stopped(Exception):
    """Somebody asked to stop."""


@dataclass(frozen=True)
class Converted:
    """``over_db`` is how far it goes over full scale between the samples that there were, 0 where it does not."""

    samples: int
    crc32: str
    over_db: float


def convert(
    info: wavfile.WaveInfo, path: Path, rate_hz: int, origin: bwf.Origin, tell: Callable[[int], bool]
) -> Converted:
    """Writes ``info`` at ``rate_hz`` to ``path``. What goes over full scale is kept in a float file.

    The length is the old one rescaled and rounded. ``tell`` hears how many samples were read and answers whether to go
    on. Raises Stopped, OSError and FileExistsError; what was begun is removed then.
    """
    path.parent.mkdir(exist_ok=True)
    made = _written(info, path, replace(info.format, rate_hz=rate_hz), origin, tell)
    if made.over_db and info.format.bits != FLOAT:
        path.unlink()
        made = _written(info, path, replace(info.format, rate_hz=rate_hz, bits=FLOAT), origin, tell)
    return made


def _written(
    info: wavfile.WaveInfo, path: Path, fmt: bwf.Format, origin: bwf.Origin, tell: Callable[[int], bool]
) -> Converted:
    wanted = rescaled(info.frames, info.format.rate_hz, fmt.rate_hz)
    stream = soxr.ResampleStream(info.format.rate_hz, fmt.rate_hz, fmt.channels, dtype="float64", quality="VHQ")
    dither = np.random.default_rng(wanted)
    writer = bwf.BwfWriter(path, fmt, origin)
    crc, peak = 0, 0.0
    try:
        for at in range(0, max(1, info.frames), PIECE):
            block = wavfile.read(info, at, PIECE).T.astype(np.float64)
            last = at + PIECE >= info.frames
            made = np.asarray(stream.resample_chunk(block, last=last)).reshape(-1, fmt.channels)
            if last:
                made = np.pad(made, ((0, max(0, wanted - writer.frames - len(made))), (0, 0)))
            made = made[: wanted - writer.frames]
            peak = max(peak, float(np.abs(made).max(initial=0.0)))
            data = pcm.interleaved(pcm.words(np.ascontiguousarray(made.T), fmt.bits, dither))
            writer.append(data)
            crc = zlib.crc32(data, crc)
            if not tell(min(info.frames, at + PIECE)):
                raise Stopped
        writer.close()
    except BaseException:
        writer.abandon()
        path.unlink(missing_ok=True)
        raise
    return Converted(wanted, f"{crc:08x}", max(0.0, decibels(peak)))

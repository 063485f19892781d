"""A file at another sample rate (libsoxr, very high quality), at the moment where it was."""

import zlib
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import soxr

from cattailer.core.gear.rates import rescaled
from cattailer.media import bwf, pcm, wavfile

PIECE = 1 << 16


class Stopped(Exception):
    """Somebody asked to stop."""


def convert(
    info: wavfile.WaveInfo, path: Path, rate_hz: int, origin: bwf.Origin, tell: Callable[[int], bool]
) -> tuple[int, str]:
    """Writes ``info`` at ``rate_hz`` to ``path``; returns its length and the CRC-32 of its sound.

    The length is the old one rescaled and rounded. ``tell`` hears how many samples were read and answers whether to go
    on. Raises Stopped, OSError and FileExistsError; what was begun is removed then.
    """
    fmt = replace(info.format, rate_hz=rate_hz)
    wanted = rescaled(info.frames, info.format.rate_hz, rate_hz)
    stream = soxr.ResampleStream(info.format.rate_hz, rate_hz, fmt.channels, dtype="float64", quality="VHQ")
    dither = np.random.default_rng(wanted)
    path.parent.mkdir(exist_ok=True)
    writer = bwf.BwfWriter(path, fmt, origin)
    crc = 0
    try:
        for at in range(0, max(1, info.frames), PIECE):
            block = wavfile.read(info, at, PIECE).T.astype(np.float64)
            last = at + PIECE >= info.frames
            made = np.asarray(stream.resample_chunk(block, last=last)).reshape(-1, fmt.channels)
            if last:
                made = np.pad(made, ((0, max(0, wanted - writer.frames - len(made))), (0, 0)))
            made = made[: wanted - writer.frames]
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
    return wanted, f"{crc:08x}"

"""Reading WAV, Broadcast WAV and RF64, whole files and files that a crash cut short."""

import os
import re
import struct
import zlib
from dataclasses import dataclass
from html import unescape
from pathlib import Path
from typing import BinaryIO

import numpy as np
from numpy.typing import NDArray

from cattailer.media import bwf
from cattailer.media.disk import REAL
from cattailer.media.pcm import unpack
from cattailer.media.promises import chunks


class NotAWave(ValueError):
    """The file is not a WAV that can be read; the message says why."""


@dataclass(frozen=True)
class WaveInfo:
    """``start`` is the time reference in samples; ``cut_short`` when the header promised more or less;
    ``sizes_fit`` when the lengths in the header are those of the file, to the byte."""

    path: Path
    format: bwf.Format
    frames: int
    data_offset: int
    start: int
    track_names: tuple[str, ...]
    markers: tuple[bwf.Marker, ...]
    rf64: bool
    cut_short: bool
    sizes_fit: bool


def inspect(path: Path) -> WaveInfo:
    """Reads the header. Raises NotAWave, or OSError when the file cannot be opened."""
    with open(path, "rb") as file:
        size = os.fstat(file.fileno()).st_size
        try:
            return _inspect(file, path, size)
        except struct.error as why:
            raise NotAWave(f"{path.name} has a damaged header") from why


def _inspect(file: BinaryIO, path: Path, size: int) -> WaveInfo:
    head = file.read(12)
    if len(head) < 12 or head[:4] not in (b"RIFF", b"RF64") or head[8:] != b"WAVE":
        raise NotAWave(f"{path.name} is not a WAV file")
    fmt: bwf.Format | None = None
    data_offset = data_bytes = start = 0
    riff_bytes = struct.unpack("<I", head[4:8])[0]
    names: tuple[str, ...] = ()
    offsets: dict[int, int] = {}
    labels: dict[int, str] = {}
    for name, length in chunks(file, head, size):
        if name == b"data":
            data_offset, data_bytes = file.tell(), length
        elif name == b"ds64" and head[:4] == b"RF64":
            riff_bytes = int.from_bytes(file.read(8), "little")
        elif name == b"fmt ":
            fmt = _format(file.read(min(length, 40)), path)
        elif name == b"bext":
            start = _stamp(file.read(min(length, 602))) or 0
        elif name == b"iXML":
            text = file.read(min(length, 1 << 20)).decode("utf-8", "replace")
            names = tuple(unescape(n) for n in re.findall(r"<NAME>(.*?)</NAME>", text))
        elif name == b"cue ":
            body = file.read(min(length, 1 << 20))
            for n in range((len(body) - 4) // 24):
                number, _, _, _, _, offset = struct.unpack_from("<II4sIII", body, 4 + 24 * n)
                offsets[number] = offset
        elif name == b"LIST":
            labels |= _labels(file.read(min(length, 1 << 20)))
    if fmt is None or not data_offset:
        raise NotAWave(f"{path.name} has no sound in it that can be read")
    present_bytes = size - data_offset
    cut = data_bytes > present_bytes or (data_bytes == 0 and present_bytes > 0)
    frames = (present_bytes if cut else data_bytes) // fmt.frame_bytes
    markers = tuple(bwf.Marker(offset, labels.get(n, "")) for n, offset in sorted(offsets.items()))
    fits = bool(data_bytes) and riff_bytes + 8 == size and data_bytes <= present_bytes
    return WaveInfo(path, fmt, frames, data_offset, start, names, markers, head[:4] == b"RF64", cut, fits)


def time_stamp(path: Path) -> int | None:
    """Where a Broadcast WAV of any sample format says that it begins, in its own samples; None where it, or another
    kind of file, says nothing. Raises OSError."""
    with open(path, "rb") as file:
        head = file.read(12)
        if head[:4] not in (b"RIFF", b"RF64") or head[8:] != b"WAVE":
            return None
        found = chunks(file, head, os.fstat(file.fileno()).st_size)
        return next((_stamp(file.read(min(length, 602))) for name, length in found if name == b"bext"), None)


def _stamp(bext: bytes) -> int | None:
    """The time reference of a ``bext`` chunk (EBU Tech 3285)."""
    return int.from_bytes(bext[338:346], "little") if len(bext) >= 346 else None


def _format(body: bytes, path: Path) -> bwf.Format:
    if len(body) < 16:
        raise NotAWave(f"{path.name} has a damaged header")
    tag, channels, rate_hz, _, _, bits = struct.unpack("<HHIIHH", body[:16])
    if tag == 0xFFFE and len(body) >= 26:
        tag = struct.unpack("<H", body[24:26])[0]
    if (tag, bits) not in ((1, 16), (1, 24), (3, 32)) or not channels or not rate_hz:
        raise NotAWave(f"{path.name} holds {bits} bit sound of a kind (tag {tag}) that is not read here")
    return bwf.Format(rate_hz, channels, bits)


def _labels(body: bytes) -> dict[int, str]:
    out: dict[int, str] = {}
    at = 4
    while body[:4] == b"adtl" and at + 12 <= len(body):
        name, length, number = struct.unpack_from("<4sII", body, at)
        if name == b"labl":
            out[number] = body[at + 12 : at + 8 + length].rstrip(b"\0").decode("utf-8", "replace")
        at += 8 + length + length % 2
    return out


def read(info: WaveInfo, start: int = 0, frames: int | None = None) -> NDArray[np.float32]:
    """Samples [start, start+frames) as float32, shape (channels, frames); ends where the file ends."""
    count = info.frames - start if frames is None else min(frames, info.frames - start)
    with open(info.path, "rb") as file:
        file.seek(info.data_offset + start * info.format.frame_bytes)
        data = file.read(max(0, count) * info.format.frame_bytes)
    return unpack(data, info.format.channels, info.format.bits)


def checksum(info: WaveInfo) -> str:
    """CRC-32 of the sound of a file, in hexadecimal. Raises OSError."""
    found, left = 0, info.frames * info.format.frame_bytes
    with open(info.path, "rb") as file:
        file.seek(info.data_offset)
        while left and (data := file.read(min(left, 1 << 20))):
            found, left = zlib.crc32(data, found), left - len(data)
    return f"{found:08x}"


def mend(path: Path, most: int | None = None) -> WaveInfo:
    """Makes the header of a file that Cattailer began true to the sound that is in it, and says what that is.

    ``most`` is how many frames were written, where that is known: what lies behind them is no sound. A file whose sizes
    fit is left alone, and so is one that somebody else made. Raises NotAWave, OSError.
    """
    info = inspect(path)
    if info.data_offset != bwf.HEADER_BYTES or (info.sizes_fit and (most is None or info.frames <= most)):
        return info
    frames = (path.stat().st_size - info.data_offset) // info.format.frame_bytes
    if most is not None:
        frames = min(frames, most)
    file = REAL.append(path)
    try:
        file.truncate(info.data_offset + frames * info.format.frame_bytes)
        bwf.write_sizes(file, frames, info.format)
        file.sync()
    finally:
        file.close()
    return inspect(path)

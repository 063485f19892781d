"""How long an MP3 is that does not say so.

A file with a variable bit rate and without an information frame makes decoders guess its length from its first bit
rate, and stop there. Here its frames are counted (ISO/IEC 11172-3 and 13818-3, layer III), and an information frame
with their number is put before it.
"""

import io
import os
import struct
from pathlib import Path
from typing import BinaryIO

_KBPS_1 = (0, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320)
_KBPS_2 = (0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160)
_RATES = {3: (44100, 48000, 32000), 2: (22050, 24000, 16000), 0: (11025, 12000, 8000)}
"""By the two bits that say the version: 1, 2, 2.5."""
_LARGEST = 1 << 16
"""So far a first frame is looked for."""


def frame_bytes(head: bytes) -> int:
    """How long the frame is that begins with these four bytes; 0 where none of layer III does."""
    word = int.from_bytes(head[:4], "big")
    version, layer, kbps, rate, padded = word >> 19 & 3, word >> 17 & 3, word >> 12 & 15, word >> 10 & 3, word >> 9 & 1
    if word >> 21 != 0x7FF or version == 1 or layer != 1 or not 0 < kbps < 15 or rate == 3:
        return 0
    table, factor = (_KBPS_1, 144_000) if version == 3 else (_KBPS_2, 72_000)
    return factor * table[kbps] // _RATES[version][rate] + padded


def completed(path: Path) -> "Preceded | None":
    """The file with the frame before it that says how long it is; None where it has one, or is not an MP3. Raises
    OSError."""
    with open(path, "rb") as file:
        start = _start(file)
        if start < 0:
            return None
        file.seek(start)
        first = file.read(2048)
        if any(tag in first[:200] for tag in (b"Xing", b"Info", b"VBRI")):
            return None
        frames, last = _count(file, start)
    version, mode = first[1] >> 3 & 3, first[3] >> 6
    side = (17 if mode == 3 else 32) if version == 3 else (9 if mode == 3 else 17)
    # Any bit rate that leaves room for what it says: 128 kbit/s is 9 in one table, 64 is 8 in the other.
    head = bytes([first[0], first[1] | 1, (9 if version == 3 else 8) << 4 | first[2] & 0x0C, first[3]])
    body = b"Xing" + struct.pack(">III", 3, frames, last - start)
    return Preceded((head + b"\0" * side + body).ljust(frame_bytes(head), b"\0"), path, start)


def _start(file: BinaryIO) -> int:
    """Where the first frame begins that another follows, behind an ID3 tag; -1 where there is none."""
    tag, at = file.read(10), 0
    if tag[:3] == b"ID3" and len(tag) == 10:
        at = 10 + sum((byte & 0x7F) << 7 * (3 - n) for n, byte in enumerate(tag[6:10]))
    file.seek(at)
    data = file.read(_LARGEST)
    for n in range(len(data) - 4):
        length = frame_bytes(data[n : n + 4]) if data[n] == 0xFF else 0
        if length and frame_bytes(data[n + length : n + length + 4]):
            return at + n
    return -1


def _count(file: BinaryIO, at: int) -> tuple[int, int]:
    """How many frames follow one another, and where the last of them ends."""
    file.seek(0, os.SEEK_END)
    size, frames, data, base = file.tell(), 0, b"", 0
    while at + 4 <= size:
        if not base <= at <= base + len(data) - 4:
            file.seek(at)
            data, base = file.read(1 << 20), at
        length = frame_bytes(data[at - base : at - base + 4])
        if not length:
            break
        frames, at = frames + 1, at + length
    return frames, min(at, size)


class Preceded(io.RawIOBase):
    """A file from ``start`` on with some bytes before it, for reading."""

    def __init__(self, first: bytes, path: Path, start: int) -> None:
        super().__init__()
        self._first, self._file, self._at = first, open(path, "rb"), 0  # noqa: SIM115 - closed with this one
        self._behind = start - len(first)
        self._size = os.fstat(self._file.fileno()).st_size - self._behind

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def readinto(self, buffer: memoryview) -> int:  # type: ignore[override]
        wanted = len(buffer)
        data = self._first[self._at : self._at + wanted]
        if len(data) < wanted:
            self._file.seek(self._at + len(data) + self._behind)
            data += self._file.read(wanted - len(data))
        buffer[: len(data)] = data
        self._at += len(data)
        return len(data)

    def seek(self, offset: int, whence: int = os.SEEK_SET) -> int:
        self._at = max(0, offset + {os.SEEK_SET: 0, os.SEEK_CUR: self._at, os.SEEK_END: self._size}[whence])
        return self._at

    def tell(self) -> int:
        return self._at

    def close(self) -> None:
        self._file.close()
        super().close()

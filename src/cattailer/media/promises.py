"""How much sound the header of a file promises, and how much of it is there; frames of MP3 files (ISO/IEC 11172-3 and
13818-3, layer III)."""

import os
import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

STREAMED = frozenset((0xFFFFFFFF, 0x7FFFFFFF, 0x80000000, 0x7FFFF000, 0xFFFFF000))
"""What writers put where the length belongs that cannot go back to write it, besides 0 and lengths of 64 bits that no
disk holds."""
SOUND = (b"data", b"SSND")
_LEAST_BEYOND = 1 << 16
"""What is shorter may be anything that somebody hung on to the file."""
_W64_HEAD = b"riff\x2e\x91\xcf\x11"
_KBPS_1 = (0, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320)
_KBPS_2 = (0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160)
_RATES = {3: (44100, 48000, 32000), 2: (22050, 24000, 16000), 0: (11025, 12000, 8000)}
"""By the two bits that say the version: 1, 2, 2.5."""
_LARGEST = 1 << 16
"""So far a first frame is looked for."""


@dataclass(frozen=True)
class Promise:
    """Bytes of sound. ``promised`` is None where the header does not say: the sound reaches to the file's end. Of what
    was promised so much is ``there``; ``beyond`` it so much follows that cannot be anything else."""

    promised: int | None
    there: int
    beyond: int = 0

    def samples(self, there: int) -> int | None:
        """How many samples are promised by a header, where ``there`` are."""
        if self.promised is None or not self.there:
            return None
        return there if self.promised == self.there else round(there * self.promised / self.there)


def of_file(path: Path) -> Promise | None:
    """Of WAV, RF64, AIFF and W64 files; None for others, or where no sound is found. Raises OSError."""
    with open(path, "rb") as file:
        head, size = file.read(12), os.fstat(file.fileno()).st_size
        big = head[:4] in (b"RIFX", b"FORM")
        if head[:8] == _W64_HEAD:
            found = _w64_chunks(file, size)
        elif big or head[:4] in (b"RIFF", b"RF64"):
            found = chunks(file, head, size, ">" if big else "<")
        else:
            return None
        for name, length in found:
            if name in SOUND:
                return _promise(file, name, length, size)
    return None


def _promise(file: BinaryIO, name: bytes, length: int, size: int) -> Promise:
    at = file.tell()
    if length in STREAMED or length >> 60 or (not length and not _only_chunks(file, at, size)):
        return Promise(None, size - at)
    extra = 8 if name == b"SSND" else 0  # an offset and a block size, before the sound
    beyond = size - at - length
    if beyond < _LEAST_BEYOND or _only_chunks(file, at + length + length % 2, size):
        beyond = 0
    return Promise(max(0, length - extra), max(0, min(length, size - at) - extra), beyond)


def chunks(file: BinaryIO, head: bytes, size: int, order: str = "<") -> Iterator[tuple[bytes, int]]:
    """The name and length of each chunk after ``head``, with the file at its first byte. In an RF64 file the length of
    the sound is that in its ds64 chunk. Sound whose end is not there is the last one."""
    at, long_bytes = len(head), 0
    while at + 8 <= size:
        file.seek(at)
        name, length = struct.unpack(f"{order}4sI", file.read(8))
        if name == b"ds64":
            long_bytes = int.from_bytes(file.read(16)[8:], "little")
        if name == b"data" and length == 0xFFFFFFFF and head[:4] == b"RF64":
            length = long_bytes
        file.seek(at + 8)
        yield name, length
        if name in SOUND and (length == 0 or at + 8 + length > size):
            return
        at += 8 + length + length % 2


def _w64_chunks(file: BinaryIO, size: int) -> Iterator[tuple[bytes, int]]:
    at = 40
    while at + 24 <= size:
        file.seek(at)
        name, length = struct.unpack("<4s12xQ", file.read(24))
        yield name, max(0, length - 24)
        if length < 24:
            return
        at += length + -length % 8


def _only_chunks(file: BinaryIO, at: int, size: int) -> bool:
    """Whether nothing but chunks follows, to the file's last byte."""
    while at + 8 <= size:
        file.seek(at)
        name, length = struct.unpack("<4sI", file.read(8))
        if not name.isascii() or not name.decode("latin-1").isprintable():
            return False
        at += 8 + length + length % 2
    return at >= size


def mp3_frame_bytes(head: bytes) -> int:
    """How long the frame is that begins with these four bytes; 0 where none of layer III does."""
    word = int.from_bytes(head[:4], "big")
    version, layer, kbps, rate, padded = word >> 19 & 3, word >> 17 & 3, word >> 12 & 15, word >> 10 & 3, word >> 9 & 1
    if word >> 21 != 0x7FF or version == 1 or layer != 1 or not 0 < kbps < 15 or rate == 3:
        return 0
    table, factor = (_KBPS_1, 144_000) if version == 3 else (_KBPS_2, 72_000)
    return factor * table[kbps] // _RATES[version][rate] + padded


def of_mp3(path: Path) -> int | None:
    """How many samples the first frame says that there are, less the padding that the encoder names; None where it
    says nothing. Raises OSError."""
    with open(path, "rb") as file:
        start = _first_frame(file)
        file.seek(max(0, start))
        first = file.read(256)
    if start < 0:
        return None
    per_frame = 1152 if first[1] >> 3 & 3 == 3 else 576
    by_kbps = first.find(b"VBRI")
    if by_kbps > 0:
        return per_frame * int.from_bytes(first[by_kbps + 14 : by_kbps + 18], "big")
    at = max(first.find(b"Xing"), first.find(b"Info"))
    if at < 0 or not first[at + 7] & 1:
        return None
    frames = int.from_bytes(first[at + 8 : at + 12], "big")
    padding = int.from_bytes(first[at + 141 : at + 144], "big") if first[at + 120 : at + 124].isalnum() else 0
    return max(0, per_frame * frames - (padding >> 12) - (padding & 0xFFF))


def _first_frame(file: BinaryIO) -> int:
    """Where the first frame begins that another follows, behind an ID3 tag; -1 where there is none."""
    tag, at = file.read(10), 0
    if tag[:3] == b"ID3" and len(tag) == 10:
        at = 10 + sum((byte & 0x7F) << 7 * (3 - n) for n, byte in enumerate(tag[6:10]))
    file.seek(at)
    data = file.read(_LARGEST)
    for n in range(len(data) - 4):
        length = mp3_frame_bytes(data[n : n + 4]) if data[n] == 0xFF else 0
        if length and mp3_frame_bytes(data[n + length : n + length + 4]):
            return at + n
    return -1

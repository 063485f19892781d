"""Frames of MP3 files (ISO/IEC 11172-3 and 13818-3, layer III)."""

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


def promised(path: Path) -> int | None:
    """How many samples the first frame says that there are, less the padding that the encoder names; None where it
    says nothing. Raises OSError."""
    with open(path, "rb") as file:
        start = _start(file)
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

"""Broadcast WAV and RF64, written while the sound arrives.

EBU Tech 3285 (``bext``), EBU Tech 3306 (RF64, ``ds64``), the open iXML specification, and ``cue ``
with ``adtl`` labels. The header has a fixed length with the room that RF64 needs, so a file may
grow past 4 GiB without being moved; its sizes can be refreshed at any moment, and what was written
before that opens in any audio program.
"""

import os
import struct
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import BinaryIO, Protocol
from xml.sax.saxutils import escape

import numpy as np
from numpy.typing import NDArray

from cattailer.media.pcm import pack

HEADER_BYTES = 4096
_FOUR_GIB = 1 << 32
_DS64_AT = 12
_FMT_AT = _DS64_AT + 36


def fact_offset(fmt: "Format") -> int:
    """Where the frame count of a float file stands in the header; 0 where there is none."""
    return _FMT_AT + 8 + 18 + 8 if fmt.bits == 32 else 0


class Storage(Protocol):
    """What the writer needs of an open file; tests stand one in that runs full."""

    def write(self, data: bytes | memoryview, /) -> int: ...
    def seek(self, offset: int, whence: int = 0, /) -> int: ...
    def truncate(self, size: int | None = None, /) -> int: ...
    def flush(self) -> None: ...
    def fileno(self) -> int: ...
    def close(self) -> None: ...


Opener = Callable[[Path], Storage]


def create_new(path: Path) -> BinaryIO:
    """Opens a file that must not exist yet: a take never overwrites anything."""
    return open(path, "xb", buffering=0)


@dataclass(frozen=True)
class Format:
    rate_hz: int
    channels: int
    bits: int

    @property
    def frame_bytes(self) -> int:
        return self.channels * self.bits // 8


@dataclass(frozen=True)
class Origin:
    """Where the sound comes from; ``start`` is the timeline position of the first sample."""

    session: str
    track: str
    start: int
    recorded_at: datetime
    take: str = ""
    inputs: tuple[int, ...] = ()
    note: str = ""
    feed: str = ""


@dataclass(frozen=True)
class Marker:
    """A named sample position within the file."""

    offset: int
    label: str


def _chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body + b"\0" * (len(body) % 2)


def _bext(origin: Origin, fmt: Format) -> bytes:
    kind = "F" if fmt.bits == 32 else "A=PCM"
    history = f"{kind},F={fmt.rate_hz},W={fmt.bits},M={'mono' if fmt.channels == 1 else 'stereo'},T=Cattailer\r\n"
    text = f"{origin.session}: {origin.track}".encode("ascii", "replace")[:256]
    fixed = struct.pack(
        "<256s32s32s10s8sQH64s5h180x",
        text,
        b"Cattailer",
        origin.take.encode("ascii", "replace")[:32],
        origin.recorded_at.strftime("%Y-%m-%d").encode(),
        origin.recorded_at.strftime("%H:%M:%S").encode(),
        max(0, origin.start),
        1,
        b"",
        *(0x7FFF,) * 5,
    )
    return fixed + history.encode()


def _function(origin: Origin, channel: int) -> str:
    """What feeds a channel, in words."""
    if origin.feed:
        return origin.feed
    return f"socket {origin.inputs[channel] + 1}" if channel < len(origin.inputs) else "socket -"


def _ixml(origin: Origin, fmt: Format) -> bytes:
    tracks = "".join(
        f"<TRACK><CHANNEL_INDEX>{n + 1}</CHANNEL_INDEX><INTERLEAVE_INDEX>{n + 1}</INTERLEAVE_INDEX>"
        f"<NAME>{escape(origin.track)}{'' if fmt.channels == 1 else ' LR'[n + 1]}</NAME>"
        f"<FUNCTION>{escape(_function(origin, n))}</FUNCTION></TRACK>"
        for n in range(fmt.channels)
    )
    start = max(0, origin.start)
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n<BWFXML><IXML_VERSION>1.61</IXML_VERSION>'
        f"<PROJECT>{escape(origin.session)}</PROJECT><TAKE>{escape(origin.take)}</TAKE>"
        f"<NOTE>{escape(origin.note)}</NOTE>"
        f"<SPEED><FILE_SAMPLE_RATE>{fmt.rate_hz}</FILE_SAMPLE_RATE><AUDIO_BIT_DEPTH>{fmt.bits}</AUDIO_BIT_DEPTH>"
        f"<TIMESTAMP_SAMPLE_RATE>{fmt.rate_hz}</TIMESTAMP_SAMPLE_RATE>"
        f"<TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI>{start >> 32}</TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI>"
        f"<TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO>{start & 0xFFFFFFFF}</TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO></SPEED>"
        f"<TRACK_LIST><TRACK_COUNT>{fmt.channels}</TRACK_COUNT>{tracks}</TRACK_LIST></BWFXML>"
    ).encode()


def _cues(markers: list[Marker]) -> bytes:
    points = b"".join(
        struct.pack("<II4sIII", n, m.offset & 0xFFFFFFFF, b"data", 0, 0, m.offset & 0xFFFFFFFF)
        for n, m in enumerate(markers, 1)
    )
    labels = b"".join(
        _chunk(b"labl", struct.pack("<I", n) + m.label.encode() + b"\0") for n, m in enumerate(markers, 1)
    )
    return _chunk(b"cue ", struct.pack("<I", len(markers)) + points) + _chunk(b"LIST", b"adtl" + labels)


class BwfWriter:
    """Writes one file. ``frames`` counts what was handed over.

    Raises FileExistsError when the file exists and OSError when the disk will not take it. After
    an OSError from ``write`` the file keeps every whole frame that arrived; ``close`` still works.
    """

    def __init__(self, path: Path, fmt: Format, origin: Origin, open_file: Opener = create_new) -> None:
        self.path = path
        self.format = fmt
        self.frames = 0
        self._dither = np.random.default_rng(origin.start & 0xFFFF) if fmt.bits == 16 else None
        tag, size = (3, 18) if fmt.bits == 32 else (1, 16)
        spec = struct.pack(
            "<HHIIHH", tag, fmt.channels, fmt.rate_hz, fmt.rate_hz * fmt.frame_bytes, fmt.frame_bytes, fmt.bits
        )
        head = b"RIFF\0\0\0\0WAVE" + _chunk(b"JUNK", bytes(28)) + _chunk(b"fmt ", spec.ljust(size, b"\0"))
        self._fact_at = fact_offset(fmt)
        if self._fact_at:
            head += _chunk(b"fact", bytes(4))
        # Some readers of RF64 forget the padding byte, so the text is filled up to an even length.
        for name, body in ((b"bext", _bext(origin, fmt)), (b"iXML", _ixml(origin, fmt))):
            head += _chunk(name, body + b"\n" * (len(body) % 2))
        room = HEADER_BYTES - len(head) - 16
        if room < 0:
            raise ValueError("the names in the header are too long")
        head += _chunk(b"JUNK", bytes(room)) + b"data\0\0\0\0"
        self._file = open_file(path)
        self._file.write(head)

    def write(self, block: NDArray[np.float32]) -> None:
        """Appends ``block``, shape (channels, samples)."""
        self.append(memoryview(pack(block, self.format.bits, self._dither)))

    def append(self, data: memoryview) -> None:
        """Appends whole frames that are packed already."""
        view = data
        while view:
            view = view[self._file.write(view) :]
        self.frames += len(data) // self.format.frame_bytes

    def write_silence(self, frames: int) -> None:
        """Appends silence without storing it: the file grows, the disk keeps a hole."""
        self.frames += frames
        end = HEADER_BYTES + self.frames * self.format.frame_bytes
        self._file.truncate(end)
        self._file.seek(end)

    def keep(self, frames: int) -> None:
        """Cuts back to the first ``frames`` frames, and forgets a frame that was half written."""
        self.frames = min(self.frames, frames)
        end = HEADER_BYTES + self.frames * self.format.frame_bytes
        self._file.truncate(end)
        self._file.seek(end)

    def refresh(self, sync: bool = True) -> None:
        """Makes the header true to what is in the file, and brings both to the disk."""
        write_sizes(self._file, self.frames, self.format, self._fact_at)
        self._file.seek(HEADER_BYTES + self.frames * self.format.frame_bytes)
        self._file.flush()
        if sync:
            os.fdatasync(self._file.fileno())

    def abandon(self) -> None:
        """Closes without making anything true: the file is about to be removed."""
        self._file.close()

    def close(self, markers: list[Marker] | None = None) -> None:
        """Adds the markers, makes the header true and closes."""
        size = self.frames * self.format.frame_bytes
        try:
            tail = b"\0" * (size % 2) + (_cues(markers) if markers else b"")
            if tail:
                self._file.seek(HEADER_BYTES + size)
                self._file.write(tail)
            write_sizes(self._file, self.frames, self.format, self._fact_at, len(tail))
            self._file.flush()
            os.fdatasync(self._file.fileno())
        finally:
            self._file.close()


def write_sizes(file: Storage, frames: int, fmt: Format, fact_at: int = 0, tail_bytes: int = 0) -> None:
    """Writes the lengths into the header of a file that ``BwfWriter`` began.

    Past 4 GiB the file becomes an RF64 and its lengths stand in ``ds64`` (EBU Tech 3306).
    """
    data = frames * fmt.frame_bytes
    riff = HEADER_BYTES - 8 + data + (tail_bytes or data % 2)
    large = riff >= _FOUR_GIB
    file.seek(0)
    file.write((b"RF64" if large else b"RIFF") + struct.pack("<I", 0xFFFFFFFF if large else riff))
    file.seek(_DS64_AT)
    if large:
        file.write(b"ds64" + struct.pack("<IQQQI", 28, riff, data, frames, 0))
    else:
        file.write(b"JUNK" + struct.pack("<I28x", 28))
    if fact_at:
        file.seek(fact_at)
        file.write(struct.pack("<I", min(frames, 0xFFFFFFFF)))
    file.seek(HEADER_BYTES - 4)
    file.write(struct.pack("<I", 0xFFFFFFFF if large else data))

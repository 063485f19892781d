"""Broadcast WAV and RF64, written while the sound arrives.

EBU Tech 3285 (``bext``), EBU Tech 3306 (RF64, ``ds64``), the open iXML specification, and ``cue ``
with ``adtl`` labels. The header has a fixed length with the room that RF64 needs, so a file may
grow past 4 GiB without being moved; its sizes can be refreshed at any moment, and what was written
before that opens in any audio program.
"""

import struct
from dataclasses import dataclass, replace
from datetime import datetime
from html import escape
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from cattailer.media.disk import REAL, Disk, OpenFile, begin, write_all
from cattailer.media.pcm import pack

HEADER_BYTES = 4096
_FOUR_GIB = 1 << 32
_DS64_AT = 12
_FMT_AT = _DS64_AT + 36


def fact_offset(fmt: "Format") -> int:
    """Where the frame count of a float file stands in the header; 0 where there is none."""
    return _FMT_AT + 8 + 18 + 8 if fmt.bits == 32 else 0


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


def _escaped(text: str) -> str:
    """For XML."""
    return escape(text, quote=False)


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
        f"<NAME>{_escaped(origin.track)}{'' if fmt.channels == 1 else ' LR'[n + 1]}</NAME>"
        f"<FUNCTION>{_escaped(_function(origin, n))}</FUNCTION></TRACK>"
        for n in range(fmt.channels)
    )
    start = max(0, origin.start)
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n<BWFXML><IXML_VERSION>1.61</IXML_VERSION>'
        f"<PROJECT>{_escaped(origin.session)}</PROJECT><TAKE>{_escaped(origin.take)}</TAKE>"
        f"<NOTE>{_escaped(origin.note)}</NOTE>"
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


def header(origin: Origin, fmt: Format) -> bytes:
    """All that stands before the sound, ``HEADER_BYTES`` long. Names that are too long for it are shortened."""
    tag, size = (3, 18) if fmt.bits == 32 else (1, 16)
    spec = struct.pack(
        "<HHIIHH", tag, fmt.channels, fmt.rate_hz, fmt.rate_hz * fmt.frame_bytes, fmt.frame_bytes, fmt.bits
    )
    head = b"RIFF\0\0\0\0WAVE" + _chunk(b"JUNK", bytes(28)) + _chunk(b"fmt ", spec.ljust(size, b"\0"))
    if fact_offset(fmt):
        head += _chunk(b"fact", bytes(4))
    # Some readers of RF64 forget the padding byte, so the text is filled up to an even length.
    bext = _bext(origin, fmt)
    head += _chunk(b"bext", bext + b"\n" * (len(bext) % 2))
    room = HEADER_BYTES - len(head) - 8 - 8 - 8
    text = _ixml(origin, fmt)
    for most in (200, 60, 20, 5):
        if len(text) <= room:
            break
        text = _ixml(replace(
            origin, session=origin.session[:most], track=origin.track[:most], take=origin.take[:most],
            note=origin.note[:most], feed=origin.feed[:most],
        ), fmt)
    head += _chunk(b"iXML", text + b"\n" * (len(text) % 2))
    return head + _chunk(b"JUNK", bytes(HEADER_BYTES - len(head) - 16)) + b"data\0\0\0\0"


class BwfWriter:
    """Writes one file. ``frames`` counts what was handed over.

    Raises FileExistsError when the file exists and OSError when the disk will not take it; nothing is left behind
    then. After an OSError from ``write`` the file keeps every whole frame that arrived; ``close`` still works.
    ``refresh`` may be called by another thread than the one that appends.
    """

    def __init__(self, path: Path, fmt: Format, origin: Origin, disk: Disk = REAL) -> None:
        self.path = path
        self.format = fmt
        self.frames = 0
        self._dither = np.random.default_rng(origin.start & 0xFFFF)
        self._file = begin(disk, path, header(origin, fmt))

    @property
    def _end(self) -> int:
        return HEADER_BYTES + self.frames * self.format.frame_bytes

    def write(self, block: NDArray[np.float32] | NDArray[np.float64]) -> None:
        """Appends ``block``, shape (channels, samples), with dither where a sample lies between two words."""
        self.append(memoryview(pack(block, self.format.bits, self._dither)))

    def append(self, data: memoryview) -> None:
        """Appends whole frames that are packed already."""
        write_all(self._file, data, self._end)
        self.frames += len(data) // self.format.frame_bytes

    def write_silence(self, frames: int) -> None:
        """Appends silence without storing it: the file grows, the disk keeps a hole."""
        self.frames += frames
        self._file.truncate(self._end)

    def keep(self, frames: int) -> None:
        """Cuts back to the first ``frames`` frames, and forgets a frame that was half written."""
        self.frames = min(self.frames, frames)
        self._file.truncate(self._end)

    def refresh(self, frames: int | None = None, sync: bool = True) -> None:
        """Makes the header true to the first ``frames`` frames, or to all, and brings both to the disk."""
        write_sizes(self._file, self.frames if frames is None else frames, self.format)
        if sync:
            self._file.sync()

    def is_at(self, path: Path) -> bool:
        return self._file.is_at(path)

    def abandon(self) -> None:
        """Closes without making anything true: the file is about to be removed."""
        self._file.close()

    def close(self, markers: list[Marker] | None = None) -> None:
        """Makes the header true, adds the markers, and closes."""
        size = self.frames * self.format.frame_bytes
        try:
            tail = b"\0" * (size % 2) + (_cues(markers) if markers else b"")
            if tail:
                write_all(self._file, tail, HEADER_BYTES + size)
            write_sizes(self._file, self.frames, self.format, len(tail))
            self._file.sync()
        finally:
            self._file.close()


def write_sizes(file: OpenFile, frames: int, fmt: Format, tail_bytes: int = 0) -> None:
    """Writes the lengths into the header of a file that ``BwfWriter`` began.

    Past 4 GiB the file becomes an RF64 and its lengths stand in ``ds64`` (EBU Tech 3306).
    """
    data = frames * fmt.frame_bytes
    riff = HEADER_BYTES - 8 + data + (tail_bytes or data % 2)
    large = riff >= _FOUR_GIB
    write_all(file, (b"RF64" if large else b"RIFF") + struct.pack("<I", 0xFFFFFFFF if large else riff), 0)
    sizes = b"ds64" + struct.pack("<IQQQI", 28, riff, data, frames, 0) if large else b"JUNK" + struct.pack("<I28x", 28)
    write_all(file, sizes, _DS64_AT)
    if fact_offset(fmt):
        write_all(file, struct.pack("<I", min(frames, 0xFFFFFFFF)), fact_offset(fmt))
    write_all(file, struct.pack("<I", 0xFFFFFFFF if large else data), HEADER_BYTES - 4)

"""Decoding FLAC, Ogg, MP3 and CAF files to their real end, with ffmpeg: a process of its own, so that whatever is in a
file can harm nothing here."""

import os
import subprocess
import tempfile
from collections.abc import Generator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from cattailer.media import promises

Blocks = Generator[NDArray[np.float32], None, None]
LOSSY_S = 0.1
_FRAME = 4096
"""The length of a lossy file is known to about a frame or two at each end; frames of ALAC are the longest."""
_ONLY = ("-v", "error", "-format_whitelist", "flac,ogg,caf,mp3", "-protocol_whitelist", "file,pipe")
"""Nothing that leads to other files, as play lists do."""
_SHOW = (
    "stream=codec_name,sample_rate,channels,bits_per_raw_sample,sample_fmt,nb_frames,duration_ts,time_base"
    ":format=format_name:packet=duration"
)
_UNEVEN, _DAMAGED = "Not yet implemented", ("Error while decoding", "Error submitting packet")
"""What ffmpeg says, in its versions from 5 on."""


class Uneven(ValueError):
    """The sound changes its rate or its number of channels."""


@dataclass(frozen=True)
class Coded:
    """``promised`` samples are said by the file itself, None where it says nothing; about ``there`` are in it,
    ``slack`` more or less. ``ends`` is False where it breaks off. ``bits`` says what counts as full scale; 32 is
    float."""

    rate_hz: int
    channels: int
    bits: int
    there: int
    promised: int | None
    slack: int
    ends: bool
    codec: str
    kind: str


def inspect(path: Path) -> Coded:
    """Looks at every packet and decodes none. Raises ValueError for what cannot be read, Uneven, OSError."""
    asked = ["ffprobe", *_ONLY, "-of", "compact", "-select_streams", "a:0", "-show_entries", _SHOW, f"file:{path}"]
    done = subprocess.run(asked, capture_output=True, check=False)
    if _UNEVEN in done.stderr.decode(errors="replace"):
        raise Uneven
    ticks, found = 0, dict[str, str]()
    for line in done.stdout.decode(errors="replace").splitlines():
        kind, _, rest = line.partition("|")
        values = dict(pair.split("=", 1) for pair in rest.split("|") if "=" in pair)
        if kind == "packet":
            ticks += _whole_number(values.get("duration"))
        else:
            found |= values
    rate, channels = _whole_number(found.get("sample_rate")), _whole_number(found.get("channels"))
    if not rate or not channels:
        raise ValueError("there is no sound in it that can be read")
    return _coded(path, found, rate, channels, ticks)


def _coded(path: Path, found: dict[str, str], rate: int, channels: int, ticks: int) -> Coded:
    codec, kind = found["codec_name"], found["format_name"]
    per_tick = Fraction(found["time_base"]) * rate
    told = _whole_number(found.get("nb_frames" if kind == "caf" else "duration_ts"))
    promised = promises.of_mp3(path) if kind == "mp3" else round(told * per_tick) or None
    slack = 0 if codec == "flac" or codec.startswith("pcm_") else max(_FRAME, round(LOSSY_S * rate))
    there = round(ticks * per_tick) or promised or 0
    if promised is not None and abs(there - promised) <= max(slack, rate // 50):  # packets count their padding too
        there = promised
    bits = 16 if codec.startswith("pcm_s16") or 0 < _whole_number(found.get("bits_per_raw_sample")) <= 16 else 24
    if codec.startswith(("pcm_f32", "pcm_f64")):
        bits = 32
    return Coded(rate, channels, bits, there, promised, slack, kind != "ogg" or _ends(path), codec, kind)


def blocks(path: Path, found: Coded, size: int, damaged: list[str]) -> Blocks:
    """All that can be decoded, in blocks of shape (channels, ``size``), the last one shorter; where frames of a FLAC
    file are missing there is silence as long as they. ``damaged`` gets a line for each frame that cannot be read.
    Raises Uneven, OSError."""
    fill = ["-af", "aresample=async=1:min_hard_comp=0.0001"] if found.kind == "flac" else []  # its frames have numbers
    asked = ["ffmpeg", "-nostdin", *_ONLY, "-i", f"file:{path}", "-map", "0:a:0", *fill]
    with tempfile.TemporaryFile() as said:
        with subprocess.Popen([*asked, "-f", "f32le", "pipe:1"], stdout=subprocess.PIPE, stderr=said) as running:
            assert running.stdout is not None
            try:
                while data := running.stdout.read(4 * found.channels * size):
                    count = len(data) // (4 * found.channels)
                    words = np.frombuffer(data, np.float32, count * found.channels)
                    yield np.ascontiguousarray(words.reshape(count, found.channels).T)
            finally:
                running.kill()
        said.seek(0)
        lines = said.read().decode(errors="replace").splitlines()
    if any(_UNEVEN in line for line in lines):
        raise Uneven
    damaged += [line for line in lines if any(words in line for words in _DAMAGED)]


def _whole_number(text: str | None) -> int:
    """0 where there is none."""
    return int(text) if text and text.isdecimal() else 0


def _ends(path: Path) -> bool:
    """Whether the last page of an Ogg file (RFC 3533) is there to its end and says that it is the last."""
    with open(path, "rb") as file:
        size = file.seek(0, os.SEEK_END)
        file.seek(max(0, size - (1 << 17)))
        tail = file.read()
    at = tail.rfind(b"OggS")
    if at < 0 or len(tail) < at + 27:
        return False
    segments = tail[at + 27 : at + 27 + tail[at + 26]]
    return bool(tail[at + 5] & 4) and len(tail) >= at + 27 + tail[at + 26] + sum(segments)

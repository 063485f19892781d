"""Reading sound files of any open format, block by block, with errors in people's words."""

from collections.abc import Callable, Generator
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing, contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
import soundfile

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.takes.importing import unkept
from cattailer.media import coded, promises, wavfile
from cattailer.media.coded import Blocks

BLOCK = 1 << 18
KINDS = "WAV, RF64, W64, AIFF, FLAC, Ogg, Opus, MP3 or CAF"
ENDINGS = frozenset(
    (".wav", ".wave", ".bwf", ".rf64", ".w64", ".aif", ".aiff", ".aifc", ".flac", ".ogg", ".oga", ".opus", ".mp3",
     ".caf")
)
_PLAIN = (b"RIFF", b"RIFX", b"RF64", b"riff", b"FORM")
_CODED = (b"fLaC", b"OggS", b"ID3", b"caff")
_UNEVEN = "{} changes its sample rate or its channels on the way. Split it there first."
_BITS = {"PCM_16": 16, "PCM_S8": 8, "PCM_U8": 8, "PCM_24": 24, "FLOAT": 32, "DOUBLE": 32}



class Unkept(Refusal):
    """The file promises more or less than there is, or breaks off; what is there can be had ``partly``."""


def is_sound(head: bytes) -> bool:
    """Whether a file that begins with these bytes may be one that can be read."""
    return head.startswith(_PLAIN + _CODED) or promises.mp3_frame_bytes(head) > 0 or not any(head)


@dataclass(frozen=True)
class Sound:
    """An open file with about ``samples`` in it: that many, where it is not lossy. ``promised`` are said by the file
    itself, None where it says nothing; up to ``slack`` less is no loss. ``ends`` is False where its end is not where
    the file says. ``bits`` says what counts as full scale; 32 is float."""

    name: str
    rate_hz: int
    channels: int
    samples: int
    bits: int
    promised: int | None
    slack: int
    ends: bool
    _blocks: Callable[[int], Blocks]
    partly: bool = False
    damaged: list[str] = field(default_factory=list)
    """What was said of each frame that could not be read and was left out."""

    def blocks(self, size: int = BLOCK) -> Blocks:
        """Blocks of shape (channels, about ``size``). Raises Unkept when less comes than the file promises, and what is
        there was not asked for, Refusal for what cannot be read on with."""
        got = 0
        with closing(self._blocks(size)) as coming, ThreadPoolExecutor(1) as ahead:  # the next is read meanwhile
            following = ahead.submit(next, coming, None)
            try:
                while (block := following.result()) is not None:
                    following = ahead.submit(next, coming, None)
                    got += block.shape[1]
                    yield block
            except coded.Uneven as why:
                raise Refusal(_UNEVEN.format(self.name)) from why
            except (soundfile.LibsndfileError, RuntimeError, OSError, ValueError) as why:
                if not self.partly:
                    raise self._unkept(got) from why
        if not got:
            raise Refusal(f"{self.name} holds no sound that can be read.")
        self._check(got)

    def _check(self, got: int) -> None:
        """Raises Unkept where so many samples are not what was promised."""
        kept = self.promised is None or got >= self.promised - self.slack
        if not self.partly and not (kept and self.ends and (self.slack or not self.damaged)):
            raise self._unkept(got)

    def _unkept(self, got: int) -> Unkept:
        return Unkept(unkept(self.name, self.rate_hz, got, self.promised, len(self.damaged)))


@contextmanager
def opened(path: Path, name: str = "", partly: bool = False) -> Generator[Sound, None, None]:
    """``name`` is what people call it, where its path does not say so; ``partly`` takes what is there of a file that
    promises something else. Raises Unkept, and Refusal for what is missing, empty or not a sound file."""
    if not path.exists():
        raise Refusal(f"There is no file called {path}.", 404)
    if not path.is_file():
        raise Refusal(f"{path} is not a file.")
    name = name or path.name
    if not path.stat().st_size:
        raise Refusal(f"{name} is empty.")
    with open(path, "rb") as file:
        plain = file.read(4) in _PLAIN
    try:
        sound = _wave(path, name) or _library(path, name) if plain else _coded(path, name)
    except coded.Uneven as why:
        raise Refusal(_UNEVEN.format(name)) from why
    except FileNotFoundError as why:
        text = f"{name} cannot be read without ffmpeg, which is missing here. Install Debian's ffmpeg, then try again."
        raise NotNow(text) from why
    except (soundfile.LibsndfileError, RuntimeError, TypeError, ValueError) as why:
        raise Refusal(f"{name} is not a sound file that can be read here ({KINDS}), or is damaged.") from why
    if not sound.samples:
        raise Refusal(f"{name} holds no sound.")
    sound = replace(sound, partly=partly)
    sound._check(sound.samples)
    yield sound


def _wave(path: Path, name: str) -> Sound | None:
    """A WAV that our own reader knows, which is several times as fast."""
    try:
        info = wavfile.inspect(path)
    except (wavfile.NotAWave, ValueError, KeyError):
        return None
    promise, size = promises.of_file(path), info.format.frame_bytes
    there = (promise.there + promise.beyond) // size if promise else info.frames
    promised = promise.promised // size if promise and promise.promised is not None else None
    whole = replace(info, frames=there)

    def blocks(size: int) -> Blocks:
        for at in range(0, there, size):
            yield wavfile.read(whole, at, size)

    fmt, ends = info.format, not (promise and promise.beyond)
    return Sound(name, fmt.rate_hz, fmt.channels, there, fmt.bits, promised, 0, ends, blocks)


def _library(path: Path, name: str) -> Sound:
    """AIFF and W64, and kinds of WAV that are rare."""
    with soundfile.SoundFile(path) as file:
        rate, channels, there, bits = file.samplerate, file.channels, file.frames, _BITS.get(file.subtype, 24)
    promise = promises.of_file(path)
    promised = promise.samples(there) if promise else None
    return Sound(name, rate, channels, there, bits, promised, 0, True, lambda size: _by_library(path, size))


def _coded(path: Path, name: str) -> Sound:
    """FLAC, Ogg, MP3 and CAF."""
    found = coded.inspect(path)
    damaged: list[str] = []
    by_library = found.codec in ("vorbis", "opus") and _reads_all(path, found)

    def blocks(size: int) -> Blocks:
        damaged.clear()
        return _by_library(path, size) if by_library else coded.blocks(path, found, size, damaged)

    return Sound(
        name, found.rate_hz, found.channels, found.there, found.bits, found.promised, found.slack, found.ends, blocks,
        damaged=damaged,
    )


def _reads_all(path: Path, found: coded.Coded) -> bool:
    """Whether libsndfile reads as much of an Ogg file: then it does so to the sample. Not that of more channels, which
    have an order of their own there."""
    if found.channels > 2:
        return False
    try:
        with soundfile.SoundFile(path) as file:
            return bool(file.frames >= found.there - found.slack and file.samplerate == found.rate_hz)
    except (soundfile.LibsndfileError, RuntimeError):
        return False


def _by_library(path: Path, size: int) -> Blocks:
    with soundfile.SoundFile(path) as file:
        while len(block := file.read(size, dtype="float32", always_2d=True)):
            yield np.ascontiguousarray(block.T)

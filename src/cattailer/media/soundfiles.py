"""Reading sound files of any open format, block by block, with errors in people's words."""

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from cattailer.core.errors import Refusal
from cattailer.media import mp3, wavfile

BLOCK = 1 << 18
KINDS = "WAV, RF64, W64, AIFF, FLAC, Ogg, Opus, MP3 or CAF"
ENDINGS = frozenset(
    (".wav", ".wave", ".bwf", ".rf64", ".w64", ".aif", ".aiff", ".aifc", ".flac", ".ogg", ".oga", ".opus", ".mp3",
     ".caf")
)
_HEADS = (b"RIFF", b"RIFX", b"RF64", b"riff", b"FORM", b"fLaC", b"OggS", b"ID3", b"caff")
_BITS = {"PCM_16": 16, "PCM_S8": 8, "PCM_U8": 8, "PCM_24": 24, "FLOAT": 32, "DOUBLE": 32}


def is_sound(head: bytes) -> bool:
    """Whether a file that begins with these bytes may be one that can be read."""
    return head.startswith(_HEADS) or (head[:1] == b"\xff" and mp3.frame_bytes(head) > 0)


@dataclass(frozen=True)
class Sound:
    """An open file. ``bits`` says what counts as full scale; 32 is float."""

    name: str
    rate_hz: int
    channels: int
    samples: int
    bits: int
    _file: soundfile.SoundFile
    _wave: wavfile.WaveInfo | None = None
    """What our own reader makes of it, which is several times as fast; None where it cannot read it."""

    def _read(self, start: int, size: int) -> NDArray[np.float32]:
        if self._wave is not None:
            return wavfile.read(self._wave, start, size)
        return np.ascontiguousarray(self._file.read(size, dtype="float32", always_2d=True).T)

    def check_end(self) -> None:
        """Whether its last sample is there, without reading all. Raises Refusal."""
        try:
            there = self._wave is not None or (self._file.seek(self.samples - 1) >= 0 and len(self._file.read(1)) == 1)
        except (soundfile.LibsndfileError, RuntimeError, OSError):
            there = False
        if not there:
            raise Refusal(f"{self.name} is cut short: its end is not there. Copy or export it again.")

    def blocks(self, size: int = BLOCK) -> Iterator[NDArray[np.float32]]:
        """Blocks of shape (channels, up to ``size``). Raises Refusal when the sound breaks off."""
        got = 0
        try:
            with ThreadPoolExecutor(1) as ahead:  # the next block is read while this one is worked on
                coming = ahead.submit(self._read, 0, size)
                while got < self.samples and (block := coming.result()).shape[1]:
                    got += block.shape[1]
                    coming = ahead.submit(self._read, got, size)
                    yield block
        except (soundfile.LibsndfileError, RuntimeError, OSError) as why:
            text = f"{self.name} cannot be read beyond {got:,} samples; what lies before is whole."
            raise Refusal(text) from why
        if got < self.samples:
            raise Refusal(f"{self.name} is cut short: {self.samples:,} samples promised, {got:,} there.")


@contextmanager
def opened(path: Path, name: str = "") -> Iterator[Sound]:
    """``name`` is what people call it, where its path does not say so. Raises Refusal for what is missing, empty, cut
    short or not a sound file."""
    if not path.exists():
        raise Refusal(f"There is no file called {path}.", 404)
    if not path.is_file():
        raise Refusal(f"{path} is not a file.")
    name = name or path.name
    if not path.stat().st_size:
        raise Refusal(f"{name} is empty.")
    wave = _check_wave(path, name)
    with ExitStack() as held:
        try:
            file = held.enter_context(soundfile.SoundFile(path))
            if file.format == "MP3" and (whole := mp3.completed(path)) is not None:
                file = held.enter_context(soundfile.SoundFile(held.enter_context(whole)))
        except (soundfile.LibsndfileError, RuntimeError, TypeError) as why:
            raise Refusal(f"{name} is not a sound file that can be read here ({KINDS}).") from why
        if not file.frames:
            raise Refusal(f"{name} holds no sound.")
        yield Sound(name, file.samplerate, file.channels, file.frames, _BITS.get(file.subtype, 24), file, wave)


def _check_wave(path: Path, name: str) -> wavfile.WaveInfo | None:
    """A WAV that our own reader knows. Raises Refusal for one whose header promises more than there is: another reader
    would pass over that in silence."""
    with open(path, "rb") as start:
        if start.read(4) not in (b"RIFF", b"RF64"):
            return None
    try:
        info = wavfile.inspect(path)
    except (wavfile.NotAWave, ValueError, KeyError):
        return None
    if info.cut_short:
        raise Refusal(
            f"{name} is cut short: its header promises another length than the {info.frames:,} samples that are "
            "there. Copy or export it again; ./cattailer recover mends captures of this studio that broke off."
        )
    return info

"""Reading sound files of any open format, block by block, with errors in people's words."""

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from cattailer.core.errors import Refusal
from cattailer.media import wavfile

BLOCK = 1 << 18
_BITS = {"PCM_16": 16, "PCM_S8": 8, "PCM_U8": 8, "PCM_24": 24, "FLOAT": 32, "DOUBLE": 32}


@dataclass(frozen=True)
class Sound:
    """An open file. ``bits`` says what counts as full scale; 32 is float."""

    path: Path
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
            text = f"{self.path.name} cannot be read beyond {got:,} samples; what lies before is whole."
            raise Refusal(text) from why
        if got < self.samples:
            raise Refusal(f"{self.path.name} is cut short: {self.samples:,} samples promised, {got:,} there.")


@contextmanager
def opened(path: Path) -> Iterator[Sound]:
    """Raises Refusal for what is missing, empty, cut short or not a sound file."""
    if not path.exists():
        raise Refusal(f"There is no file called {path}.", 404)
    if not path.is_file():
        raise Refusal(f"{path} is not a file.")
    if not path.stat().st_size:
        raise Refusal(f"{path.name} is empty.")
    wave = _check_wave(path)
    try:
        file = soundfile.SoundFile(path)
    except (soundfile.LibsndfileError, RuntimeError, TypeError) as why:
        kinds = "WAV, RF64, FLAC, AIFF, CAF, Ogg"
        raise Refusal(f"{path.name} is not a sound file that can be read here ({kinds}).") from why
    with file:
        if not file.frames:
            raise Refusal(f"{path.name} holds no sound.")
        yield Sound(path, file.samplerate, file.channels, file.frames, _BITS.get(file.subtype, 24), file, wave)


def _check_wave(path: Path) -> wavfile.WaveInfo | None:
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
            f"{path.name} is cut short: its header promises another length than the {info.frames:,} samples that are "
            "there. What is there is whole; ./cattailer recover mends runs that broke off."
        )
    return info

"""The sound of a piece: a stretch of its file with its gain and its slopes."""

from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from cattailer.core.comps.fades import falling, rising
from cattailer.core.takes.pieces import Piece
from cattailer.media import wavfile

Floats = NDArray[np.float32]
Doubles = NDArray[np.float64]
Read = Callable[[str, int, int], Floats | None]
"""Path, first sample and how many: (channels, samples), or None where the file is gone; fewer where it ends."""


class PieceReader:
    """Reads stretches of files; those that cannot be read are in ``missing``, and silent from then on."""

    def __init__(self) -> None:
        self.missing: list[str] = []
        self._infos: dict[str, wavfile.WaveInfo] = {}

    def __call__(self, path: str, at: int, count: int) -> Floats | None:
        if path in self.missing:
            return None
        try:
            if path not in self._infos:
                self._infos[path] = wavfile.inspect(Path(path))
            return wavfile.read(self._infos[path], at, count)
        except (OSError, ValueError):
            self.missing.append(path)
            return None

    def look_again(self) -> bool:
        """Whether a file that was missing is there again; it sounds from now on."""
        back = [path for path in self.missing if Path(path).is_file()]
        for path in back:
            self.missing.remove(path)
            self._infos.pop(path, None)
        return bool(back)


def heard_between(
    pieces: Sequence[Piece], start: int, stop: int, channels: int = 1, read: Read | None = None
) -> Floats:
    """What is heard of the pieces of one track in [start, stop), shape (channels, samples): one rounding is all that
    happens to a sample."""
    touching = [piece for piece in pieces if piece.start < stop and piece.start + piece.samples > start]
    if len(touching) > 1:
        return heard_exactly(touching, start, stop, channels, read).astype(np.float32)
    rows = np.zeros((channels, stop - start), np.float32)
    for piece in touching:
        _add(rows, piece, start, read or PieceReader())
    return rows


def heard_exactly(
    pieces: Sequence[Piece], start: int, stop: int, channels: int = 1, read: Read | None = None
) -> Doubles:
    """What is heard of the pieces of one track in [start, stop), before it is rounded."""
    rows, reader = np.zeros((channels, stop - start)), read or PieceReader()
    for piece in pieces:
        if piece.start < stop and piece.start + piece.samples > start:
            _add(rows, piece, start, reader)
    return rows


def _add(rows: Floats | Doubles, piece: Piece, start: int, read: Read) -> None:
    """Adds what sounds of a piece in [start, start + samples) to ``rows``, shape (channels, samples)."""
    first, last = max(start, piece.start), min(start + rows.shape[1], piece.start + piece.samples)
    sound = read(piece.path, piece.offset + first - piece.start, last - first)
    if sound is None:
        return
    last = first + sound.shape[1]
    # A take of a mono track that is a pair by now sounds on both sides, and the reverse.
    fitted = sound if len(sound) in (1, len(rows)) else sound.mean(axis=0, keepdims=True)
    rows[:, first - start : last - start] += _shaped(fitted, piece, first, last)


def _shaped(sound: Floats, piece: Piece, first: int, last: int) -> Floats | Doubles:
    """Sound at timeline [first, last) with the gain and the slopes of its piece."""
    rise, fall = piece.rise, piece.fall
    rises = rise is not None and first < rise.start + rise.samples
    falls = fall is not None and last > fall.start
    if piece.gain == 1.0 and not rises and not falls:
        return sound
    gains = np.full(last - first, piece.gain)
    if rise is not None and rises:
        gains *= rising(rise.shape, rise.samples, first - rise.start, last - rise.start, rise.alike)
    if fall is not None and falls:
        gains *= falling(fall.shape, fall.samples, first - fall.start, last - fall.start, fall.alike)
    made: Doubles = sound * gains
    return made

"""Takes read ahead from disk, in pages that the block path picks up without waiting."""

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from cattailer.core.plan import Plan
from cattailer.core.takes.pieces import Piece
from cattailer.media import wavfile

PAGE = 16384
AHEAD_S = 3.0

Floats = NDArray[np.float32]


class Playback:
    """The pieces of a plan as sound: (track channels, samples) at any timeline position."""

    def __init__(self, plan: Plan) -> None:
        self.pieces = plan.pieces
        self._channels = [len(t.inputs) for t in plan.tracks]
        rows = {t.id: sum(self._channels[:n]) for n, t in enumerate(plan.tracks)}
        self._rows = sum(self._channels)
        wide = {t.id: len(t.inputs) for t in plan.tracks}
        self._rows_of_pieces = [(rows[p.track], wide[p.track], p) for p in plan.pieces if p.track in rows]
        self._infos: dict[str, wavfile.WaveInfo] = {}
        self._pages: dict[int, Floats] = {}
        self._ahead = int(AHEAD_S * plan.rate_hz)
        self.silent = not self._rows_of_pieces
        self.missing: list[str] = []
        self.late = 0

    def pump(self, position: int, also: int | None = None) -> None:
        """Reads what will be needed from ``position`` on, and from ``also`` on, and lets go of what is past."""
        if self.silent:
            return
        needed: set[int] = set()
        for start in (position, position if also is None else also):
            needed.update(range(start // PAGE, (start + self._ahead) // PAGE + 1))
        for number in [n for n in self._pages if n not in needed and n + 1 not in needed]:
            del self._pages[number]
        for number in sorted(needed, key=lambda n: n < position // PAGE):
            if number not in self._pages:
                self._pages[number] = self._read_page(number * PAGE)

    def stretches(self, stretches: list[tuple[int, int, int]]) -> Floats | None:
        """What sounds in stretches that follow one another, or None where nothing is there yet."""
        if len(stretches) == 1:
            return self.block(stretches[0][1], stretches[0][2])
        sounds = [self.block(at, length) for _, at, length in stretches]
        silent = [np.zeros((self._rows, length), np.float32) for _, _, length in stretches]
        return np.concatenate([z if s is None else s for s, z in zip(sounds, silent, strict=True)], axis=1)

    def block(self, position: int, count: int) -> Floats | None:
        """What sounds in [position, position+count), or None where nothing is there yet."""
        number, at = divmod(position, PAGE)
        page = self._pages.get(number)
        if at + count <= PAGE:
            if page is None:
                self.late += 1
                return None
            return page[:, at : at + count]
        after = self._pages.get(number + 1)
        if page is None or after is None:
            self.late += 1
            return None
        return np.concatenate([page[:, at:], after[:, : at + count - PAGE]], axis=1)

    def _read_page(self, start: int) -> Floats:
        page = np.zeros((self._rows, PAGE), np.float32)
        for row, channels, piece in self._rows_of_pieces:
            a, b = max(start, piece.start), min(start + PAGE, piece.start + piece.samples)
            sound = self._read(piece, piece.offset + a - piece.start, b - a) if a < b else None
            if sound is not None:
                # A take of a mono track that is a pair by now sounds on both sides, and the reverse.
                fitted = sound if len(sound) == channels or len(sound) == 1 else sound.mean(axis=0)
                page[row : row + channels, a - start : a - start + sound.shape[1]] = fitted
        return page

    def _read(self, piece: Piece, at: int, count: int) -> Floats | None:
        """A stretch of a take, or None when its file is gone; the other tracks play on."""
        if piece.path in self.missing:
            return None
        try:
            if piece.path not in self._infos:
                self._infos[piece.path] = wavfile.inspect(Path(piece.path))
            return wavfile.read(self._infos[piece.path], at, count)
        except (OSError, wavfile.NotAWave):
            self.missing.append(piece.path)
            return None


def same_pieces(a: Playback | None, pieces: Sequence[Piece]) -> bool:
    return a is not None and tuple(a.pieces) == tuple(pieces)

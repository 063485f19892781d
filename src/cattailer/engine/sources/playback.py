"""Takes read ahead from disk, in pages that the block path picks up without waiting."""

import threading
import time
from bisect import bisect_right
from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from cattailer.core.plan import Plan
from cattailer.core.takes.differing import differing
from cattailer.core.takes.pieces import Piece, apart
from cattailer.media.piecesound import PieceReader, heard_between

PAGE = 16384
AHEAD_S = 5.0
LOOK_AGAIN_S = 1.0

Floats = NDArray[np.float32]


class Playback:
    """The pieces of a plan as sound: (rows of takes, samples) at any timeline position."""

    def __init__(self, plan: Plan, old: "Playback | None" = None) -> None:
        """With ``old``, the one before, what is the same is not read again."""
        self.pieces = plan.pieces
        self._at = at = plan.take_rows
        self.rows = sum(width for _, width in at.values())
        self._wide = dict(at.values())
        self._layers: dict[int, list[_Layer]] = {}
        """By the first row of each track."""
        by_track: dict[tuple[int, bool], list[Piece]] = {}
        for piece in plan.pieces:
            if (piece.track, piece.printed) in at:
                by_track.setdefault((piece.track, piece.printed), []).append(piece)
        for track, pieces in by_track.items():
            self._layers[at[track][0]] = [_Layer(layer) for layer in apart(pieces)]
        self._pages: dict[int, Floats] = {}
        self._by_track = by_track
        self._old, self._changed = self._what_changed(old)
        """Pages of the one before, and by its first row where each track sounds otherwise than there."""
        self._ahead = int(AHEAD_S * plan.rate_hz)
        self._reading = threading.Lock()
        """Held by those who read, never by the block path."""
        self._looked_at = time.monotonic()
        self.silent = not self._layers
        self._reader: PieceReader = PieceReader() if old is None else old._reader
        self.missing = self._reader.missing
        self.late = 0
        """How many blocks were not there in time."""

    def pump(self, places: Sequence[int]) -> None:
        """Reads what will be needed from these places on, the first of them first, and lets go of what is past."""
        if self.silent:
            return
        with self._reading:
            self._look_for_missing()
            needed: dict[int, None] = {}
            for place in places:
                needed.update(dict.fromkeys(range(place // PAGE, (place + self._ahead) // PAGE + 1)))
            for number in [n for n in self._pages if n not in needed and n + 1 not in needed]:
                del self._pages[number]
            for number in needed:
                if number not in self._pages:
                    self._pages[number] = self._page(number)
            self._old = {}  # what of it was not needed now will not be needed

    def _look_for_missing(self) -> None:
        """A file that was put back sounds again."""
        if not self.missing or time.monotonic() - self._looked_at < LOOK_AGAIN_S:
            return
        self._looked_at = time.monotonic()
        if self._reader.look_again():
            self._pages.clear()

    def stretches(self, stretches: list[tuple[int, int, int]]) -> Floats | None:
        """What sounds in stretches that follow one another, or None where nothing is there yet."""
        if len(stretches) == 1:
            return self.block(stretches[0][1], stretches[0][2])
        sounds = [self.block(at, length) for _, at, length in stretches]
        silent = [np.zeros((self.rows, length), np.float32) for _, _, length in stretches]
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

    def _what_changed(self, old: "Playback | None") -> tuple[dict[int, Floats], dict[int, list[tuple[int, int]]]]:
        """Nothing where rows lie elsewhere."""
        if old is None or old._at != self._at:
            return {}, {}
        changed = {}
        for key in {**old._by_track, **self._by_track}:
            was, now = old._by_track.get(key, []), self._by_track.get(key, [])
            if was != now:
                changed[self._at[key][0]] = differing(was, now)
        return dict(old._pages), changed

    def _page(self, number: int) -> Floats:
        """Of what was there before only the rows are read again on which something changed."""
        start, page = number * PAGE, self._old.get(number)
        if page is None:
            return self._read_rows(np.zeros((self.rows, PAGE), np.float32), start, self._layers)
        changed = {
            row for row, spans in self._changed.items() if any(a < start + PAGE and b > start for a, b in spans)
        }
        if not changed:
            return page
        return self._read_rows(page.copy(), start, changed)

    def _read_rows(self, page: Floats, start: int, rows: Iterable[int]) -> Floats:
        """Fills in what sounds on these first rows of tracks."""
        for row in rows:
            layers = self._layers.get(row, [])
            pieces = [piece for layer in layers for piece in layer.touching(start, start + PAGE)]
            wide = self._wide[row]
            page[row : row + wide] = heard_between(pieces, start, start + PAGE, wide, self._reader)
        return page


class _Layer:
    """Pieces of one track that lie apart, in order."""

    def __init__(self, pieces: list[Piece]) -> None:
        self._pieces = sorted(pieces, key=lambda p: p.start)
        self._starts = [p.start for p in self._pieces]

    def touching(self, start: int, stop: int) -> list[Piece]:
        """Those that sound in [start, stop)."""
        first = max(0, bisect_right(self._starts, start) - 1)
        if first < len(self._pieces) and self._pieces[first].start + self._pieces[first].samples <= start:
            first += 1
        return self._pieces[first : bisect_right(self._starts, stop - 1)]


def same_pieces(a: Playback | None, pieces: Sequence[Piece]) -> bool:
    return a is not None and (a.pieces is pieces or tuple(a.pieces) == tuple(pieces))

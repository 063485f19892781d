"""True peak: the highest point between samples, by four-fold oversampling (ITU-R BS.1770-4, annex 2)."""

import numpy as np
from numpy.typing import NDArray

OVERSAMPLING = 4
TAPS = 12
"""Per phase, as many as the standard's own filter has."""

_CHUNK = 64
_FIRST = 128
_BETA = 6.0

Floats = NDArray[np.float32]


def _phases() -> Floats:
    """Filters for the three points between two samples, shape (3, TAPS): a sinc under a Kaiser window."""
    at = np.arange(TAPS) - (TAPS // 2 - 1)
    out = []
    for phase in range(1, OVERSAMPLING):
        t = at - phase / OVERSAMPLING
        window = np.i0(_BETA * np.sqrt(np.maximum(0.0, 1.0 - (t / (TAPS / 2)) ** 2))) / np.i0(_BETA)
        taps = np.sinc(t) * window
        out.append(taps / taps.sum())
    return np.array(out, np.float32)


_FILTERS = _phases()
_MOST = float(np.abs(_FILTERS).sum(axis=1).max())
"""No point between samples is higher than this many times the highest sample around it."""


class TruePeak:
    """The highest true peak so far of each channel, linear, over blocks of any size.

    Points that cannot be higher than what was found already are not worked out.
    """

    def __init__(self, channels: int) -> None:
        self._past = np.zeros((channels, TAPS - 1), np.float32)
        self.peak = np.zeros(channels, np.float32)

    def add(self, block: Floats) -> None:
        """Takes a block, shape (channels, samples); must be finite."""
        joined = np.concatenate([self._past, block], axis=1)
        self._past = joined[:, -(TAPS - 1) :].copy()
        chunks = -(-block.shape[1] // _CHUNK)
        short = chunks * _CHUNK + TAPS - 1 - joined.shape[1]
        if short:
            joined = np.concatenate([joined, np.zeros((len(joined), short), np.float32)], axis=1)
        high = np.abs(joined)
        tops = high[:, : chunks * _CHUNK].reshape(len(joined), chunks, _CHUNK).max(axis=2)
        after = high[:, chunks * _CHUNK :].max(axis=1, keepdims=True)
        np.maximum(self.peak, np.maximum(tops.max(axis=1), after[:, 0]), out=self.peak)
        bound = np.maximum(tops, np.concatenate([tops[:, 1:], after], axis=1)) * _MOST
        rows, places = np.nonzero(bound > self.peak[:, None])
        order = np.argsort(-bound[rows, places], kind="stable")
        rows, places = rows[order], places[order]
        while len(rows):
            self._look(joined, rows[:_FIRST], places[:_FIRST], block.shape[1])
            rows, places = rows[_FIRST:], places[_FIRST:]
            left = bound[rows, places] > self.peak[rows]
            rows, places = rows[left], places[left]

    def _look(self, joined: Floats, rows: NDArray[np.intp], places: NDArray[np.intp], samples: int) -> None:
        """Works out the points of some chunks. Those beyond the block's end wait for the next block."""
        heard = joined[rows[:, None], places[:, None] * _CHUNK + np.arange(_CHUNK + TAPS - 1)]
        shifted = np.stack([heard[:, tap : tap + _CHUNK] for tap in range(TAPS)])
        between = (_FILTERS @ shifted.reshape(TAPS, -1)).reshape(OVERSAMPLING - 1, len(rows), _CHUNK)
        np.abs(between, out=between)
        beyond = samples % _CHUNK
        if beyond:
            between[:, places == samples // _CHUNK, beyond:] = 0.0
        np.maximum.at(self.peak, rows, between.max(axis=2).max(axis=0))

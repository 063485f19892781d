"""Mains hum, told from music: it has one level, one frequency and one phase through everything that is played.

Each row's low end is cut into short frames, and each partial of the mains is a complex number a frame. Turned back at
the right frequency, hum stands at one point in every frame that lets it be heard, in all rows of a room at the same
frequency; notes turn, fade, or are gone in the pauses.
"""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

MAINS_HZ = (50, 60)
STRAYS_HZ = 0.2
"""As far as mains stray from what they should be."""

LEAST_DBFS, COVERED_DBFS, LEAST_S = -95.0, -85.0, 6.5
_FRAME_S, _HOP_S = 0.2, 0.1
"""A Hann window of 0.2 s has nulls 10, 15 and more Hz from a partial: what is found there is something else."""

_BESIDE_HZ, _TOP_HZ = 15.0, 420.0
_GRID_HZ = np.round(np.arange(-0.25, 0.251, 0.01), 2)
_FINE_HZ = np.round(np.arange(-0.006, 0.0061, 0.001), 3)
_CANDIDATES = 3
_NEAR, _FAR = 0.25, 0.5
"""Within a quarter of its level a frame stands at the hum; below half of it, in quiet, it is not there."""

_FALLS = 0.06
"""From frame to frame of a gap the level is the same: half a dB in 0.1 s is a note that fades, in time with mains."""

_RUN = 3
"""Frames in a row that make a gap: 0.4 s."""

_COUNTS, _ENOUGH, _ABSENT, _TURNED = 0.05, 0.08, 0.1, 0.5
"""Shares of frames: in gaps by one partial and by all of a row; and, of those near, quiet without it or turned away."""

_LOW_PARTIALS = 4
_QUIET, _TURNS, _NOTHING = 0.1, 6, 1e-20
_ALIKE = 0.6

Complexes = NDArray[np.complex128]
Doubles = NDArray[np.float64]
Flags = NDArray[np.bool_]


@dataclass(frozen=True)
class Humming:
    """What a room hums at, measured, and at which mains frequencies that may be (both for 300 Hz alone), by row at
    which level (dBFS, all partials' power); and the rows that say nothing, as they were never quiet."""

    hz: float = 0.0
    mains_hz: tuple[int, ...] = ()
    dbfs: dict[int, float] = field(default_factory=dict)
    covered: frozenset[int] = frozenset()


@dataclass(frozen=True)
class _Lines:
    """The partials of one mains frequency: ``at`` and the power ``beside`` each, shape (rows, frames, partials)."""

    mains_hz: int
    at: Complexes
    beside: Doubles
    times_s: Doubles
    partials: NDArray[np.int64]

    def turned(self, off_hz: float) -> Complexes:
        return np.asarray(self.at * np.exp(-2j * np.pi * off_hz * self.times_s[:, None] * self.partials))


@dataclass(frozen=True)
class _Evidence:
    """For one frequency: whether each row hums, how much speaks for it, and its level in power, shape (rows,)."""

    hz: float
    hums: Flags
    weights: Doubles
    power: Doubles

    @property
    def weight(self) -> float:
        return float(self.weights[self.hums].sum())


def find(low: NDArray[np.float32], rate_hz: float) -> Humming:
    """What hums in these rows, shape (rows, samples): some seven seconds that end now, at a rate of about 1 kHz."""
    if low.shape[1] < LEAST_S * rate_hz or not len(low):
        return Humming()
    heard = [_lines(low.astype(np.float64), rate_hz, mains_hz) for mains_hz in MAINS_HZ]
    found = [max((_evidence(lines, hz) for hz in _candidates(lines)), key=lambda each: each.weight) for lines in heard]
    best = max(found, key=lambda each: each.weight)
    alike = [n for n, each in enumerate(found) if each.weight > _ALIKE * best.weight]
    covered = np.logical_or.reduce([_covered(heard[n]) for n in alike or range(len(heard))]) & ~best.hums
    return Humming(
        best.hz if alike else 0.0, tuple(MAINS_HZ[n] for n in alike),
        {int(row): 10.0 * float(np.log10(best.power[row])) for row in np.flatnonzero(best.hums)},
        frozenset(np.flatnonzero(covered).tolist()),
    )


def _lines(low: Doubles, rate_hz: float, mains_hz: int) -> _Lines:
    length, hop = round(_FRAME_S * rate_hz), round(_HOP_S * rate_hz)
    partials = np.arange(1, int(_TOP_HZ // mains_hz) + 1)
    frames = np.lib.stride_tricks.sliding_window_view(low, length, axis=1)[:, ::hop]
    window = np.hanning(length + 1)[:length]
    window *= 2.0 / window.sum()
    within_s, times_s = np.arange(length) / rate_hz, np.arange(frames.shape[1]) * hop / rate_hz

    def heard(hz: NDArray[np.floating]) -> Complexes:
        probe = window[:, None] * np.exp(-2j * np.pi * within_s[:, None] * hz)
        found = frames @ probe.real + 1j * (frames @ probe.imag)
        return np.asarray(found * np.exp(-2j * np.pi * times_s[:, None] * hz))

    hz = partials * float(mains_hz)
    beside = np.maximum(np.abs(heard(hz - _BESIDE_HZ)), np.abs(heard(hz + _BESIDE_HZ))) ** 2
    return _Lines(mains_hz, heard(hz), beside, times_s, partials)


def _candidates(lines: _Lines) -> list[float]:
    """How far off the mains may be: where frames add up, the quiet ones above all, in all rows and in the strongest."""
    power = np.abs(lines.at) ** 2
    quiet = np.quantile(power, 0.25, axis=1, keepdims=True) + _NOTHING
    parts = lines.at * np.sqrt(quiet) / (quiet + power + lines.beside)

    def summed(off_hz: Doubles) -> Doubles:
        """Shape (frequencies, rows and partials, of all of them first)."""
        turn = np.exp(-2j * np.pi * off_hz[:, None, None] * lines.times_s[:, None] * lines.partials)
        each = np.abs(np.einsum("rmk,gmk->grk", parts, turn, optimize=True)).reshape(len(off_hz), -1) ** 2
        return np.concatenate([each.sum(axis=1, keepdims=True), each], axis=1)

    curves = summed(_GRID_HZ)
    inner = curves[1:-1, 0]
    tops = 1 + np.flatnonzero((inner >= curves[:-2, 0]) & (inner >= curves[2:, 0]))
    found = [(0, at) for at in tops[np.argsort(curves[tops, 0])[-_CANDIDATES:]]]
    found += [(n, curves[:, n].argmax()) for n in 1 + np.argsort(curves[:, 1:].max(axis=0))[-_CANDIDATES:]]
    within = {(int(n), float(_GRID_HZ[at])) for n, at in found if abs(_GRID_HZ[at]) <= STRAYS_HZ}
    fine = {off_hz: summed(off_hz + _FINE_HZ) for _, off_hz in within}
    return sorted({round(off_hz + float(_FINE_HZ[fine[off_hz][:, n].argmax()]), 3) for n, off_hz in within}) or [0.0]


def _evidence(lines: _Lines, off_hz: float) -> _Evidence:
    """A row hums where frames stand at one point in gaps of 0.4 s or more, at two times or for two partials. Notes pass
    that point as they fade, or turn around it; and a row that hums is never quiet without it."""
    turned = lines.turned(off_hz)
    hum = _middle(turned, lines.beside)
    size = np.abs(hum) + _NOTHING
    away, level = np.abs(turned - hum[:, None]) / size[:, None], np.abs(turned) / size[:, None]
    near, quiet = away < _NEAR, lines.beside < _QUIET * size[:, None] ** 2
    gaps = _runs(near)
    share = near.mean(axis=1)
    counts = gaps.mean(axis=1) > _COUNTS
    counts &= (quiet & (level < _FAR)).mean(axis=1) < _ABSENT * share
    counts &= (quiet & (np.abs(level - 1.0) < _NEAR) & (away > _FAR)).mean(axis=1) < _TURNED * share
    pairs = gaps[:, 1:] & gaps[:, :-1]
    falls = np.abs((np.diff(level, axis=1) * pairs).sum(axis=1))
    counts &= falls < _FALLS * pairs.sum(axis=1)
    counts &= 10.0 * np.log10(size**2 / 2.0) > LEAST_DBFS
    quarters = np.stack([part.mean(axis=1) > _COUNTS for part in np.array_split(gaps, 4, axis=1)])
    twice = ((quarters & counts).sum(axis=0) >= 2).any(axis=1) | (counts.sum(axis=1) >= 2)
    hums = twice & ((gaps & counts[:, None]).any(axis=2).mean(axis=1) > _ENOUGH)
    return _Evidence(lines.mains_hz + off_hz, hums, (share * counts).sum(axis=1), (counts * size**2 / 2.0).sum(axis=1))


def _covered(lines: _Lines) -> Flags:
    """Rows in which two or more of the first partials never were below ``COVERED_DBFS`` for a gap, shape (rows,)."""
    power = np.abs(lines.at[:, :, :_LOW_PARTIALS]) ** 2 / 2.0
    windows = np.lib.stride_tricks.sliding_window_view(power, _RUN, axis=1).max(axis=-1)
    return np.asarray((10.0 * np.log10(windows.min(axis=1) + _NOTHING) > COVERED_DBFS).sum(axis=1) >= 2)


def _middle(turned: Complexes, beside: Doubles) -> Complexes:
    """Where most frames stand, shape (rows, partials): a mean that forgets what is far, from quiet frames on."""
    power = np.abs(turned) ** 2
    weight = 1.0 / (np.quantile(power, 0.25, axis=1, keepdims=True) + _NOTHING + power + beside)
    seventh = turned.shape[1] // 7
    for _ in range(_TURNS):
        middle = (turned * weight).sum(axis=1) / weight.sum(axis=1)
        away = np.abs(turned - middle[:, None]) ** 2
        close = np.maximum(np.partition(away, seventh, axis=1)[:, seventh], 0.003 * np.abs(middle) ** 2) + _NOTHING
        spread = close[:, None] + away + 0.3 * beside
        weight = 1.0 / (spread * np.sqrt(spread))
    return np.asarray((turned * weight).sum(axis=1) / weight.sum(axis=1))


def _runs(near: Flags) -> Flags:
    """Those that stand with enough others in a row, along the frames."""
    count = near.shape[1] - _RUN + 1
    out = np.zeros_like(near)
    if count > 0:
        begins = np.logical_and.reduce([near[:, n : n + count] for n in range(_RUN)])
        for n in range(_RUN):
            out[:, n : n + count] |= begins
    return out

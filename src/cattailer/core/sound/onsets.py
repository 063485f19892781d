"""Where notes begin: spectral flux, then the rise of the sound itself."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

HOP_S, WINDOW_S = 0.0025, 0.021
AROUND_S = 0.15
"""How far either way a threshold looks for what is usual."""
LATE_S = 0.0078
"""How much later than a note the flux is highest, on plucked and struck sounds."""
LEAST_GAP_S = 0.045
FLOOR, LEAST_FLUX = 0.18, 1.0
"""A peak of the flux counts above the median around it, this share of the highest ones, and what a steady tone has."""
REFINE_S = 0.002
FINE_WINDOW_S, FINE_HOP_S, FINE_LAG_S = 0.006, 0.0005, 0.003
FINE_AT = 0.45
"""Where in a short window new sound has come to when it grew most."""

NEAR_HOPS, FAR_HOPS, AT_ONCE = 4, 24, 0.24
"""This share of what grows within 24 hops either way grows within 4 where a note begins; a swell has 0.18 to 0.2."""

Sound = NDArray[np.floating]


@dataclass(frozen=True)
class Notes:
    """``at``: samples at which notes begin, in order. ``swells``: how often sound grew too slowly to say where."""

    at: NDArray[np.int64]
    swells: int


def onsets(sound: Sound, rate_hz: int) -> NDArray[np.int64]:
    """The samples at which notes begin in ``sound``, shape (samples,), in order.

    Spectral flux as in S. Dixon, "Onset detection revisited" (2006): the sum of what every frequency grew by from one
    frame to the next, here of log magnitudes; its peaks above an adaptive threshold are refined in shorter windows.
    """
    return notes(sound, rate_hz).at


def notes(sound: Sound, rate_hz: int) -> Notes:
    """The onsets of ``sound``, and how often something swelled in it."""
    hop, window = max(1, round(HOP_S * rate_hz)), max(64, round(WINDOW_S * rate_hz))
    if len(sound) < 2 * window:
        return Notes(np.zeros(0, np.int64), 0)
    flux = _flux(np.asarray(sound, np.float32), hop, window)
    every = _peaks(flux, round(AROUND_S / HOP_S), round(LEAST_GAP_S / HOP_S))
    peaks = [n for n in every if _at_once(flux, n)]
    # A window grows most once the new sound has come nearly to its middle.
    late = window // 2 - round(LATE_S * rate_hz)
    found = [_refined(sound, max(0, int(p) * hop + late), rate_hz) for p in peaks]
    out: list[int] = []
    for at in sorted(found):
        if not out or at - out[-1] >= LEAST_GAP_S * rate_hz:
            out.append(at)
    return Notes(np.array(out, np.int64), len(every) - len(peaks))


def _at_once(flux: NDArray[np.float64], n: int) -> bool:
    """Whether what grows around a frame does so in it, and not over a tenth of a second: what swells has no beginning
    that a frame could tell."""
    near, around = (flux[max(0, n - reach) : n + reach + 1].sum() for reach in (NEAR_HOPS, FAR_HOPS))
    return bool(near >= AT_ONCE * around)


def _flux(sound: NDArray[np.float32], hop: int, window: int) -> NDArray[np.float64]:
    """For each hop; sound is padded so that its first sample is in the middle of the first frame."""
    padded = np.concatenate([np.zeros(window, np.float32), sound])
    frames = np.lib.stride_tricks.sliding_window_view(padded, window)[::hop]
    out = np.zeros(len(frames))
    shape = np.hanning(window).astype(np.float32)
    scale = 1000.0 / max(1e-6, float(np.abs(sound).max())) / window
    before = None
    for first in range(0, len(frames), 2048):
        magnitudes = np.log1p(np.abs(np.fft.rfft(frames[first : first + 2048] * shape, axis=1)) * scale)
        rows = magnitudes if before is None else np.concatenate([before, magnitudes])
        grown = np.maximum(0.0, np.diff(rows, axis=0)).sum(axis=1)
        out[first + (1 if before is None else 0) : first + len(magnitudes)] = grown
        before = magnitudes[-1:]
    # What a window of this length smears is what a window's middle has seen.
    return out[window // 2 // hop :]


def _peaks(flux: NDArray[np.float64], around: int, gap: int) -> list[int]:
    """Where it is highest for ``gap`` frames, above what is usual ``around`` there."""
    if not len(flux) or flux.max() <= 0.0:
        return []
    least = max(LEAST_FLUX, FLOOR * float(np.percentile(flux, 99.5)))
    padded = np.pad(flux, around, mode="reflect" if len(flux) > around else "edge")
    usual = np.median(np.lib.stride_tricks.sliding_window_view(padded, 2 * around + 1), axis=1)
    out: list[int] = []
    for n in np.flatnonzero(flux > usual + least):
        near = flux[max(0, n - gap // 2) : n + gap // 2 + 1]
        if flux[n] >= near.max() and (not out or n - out[-1] >= gap // 2):
            out.append(int(n))
    return out


def _refined(sound: Sound, about: int, rate_hz: int) -> int:
    """Where new sound begins, within reach of a place: the same flux in much shorter windows. A note that rings on
    under a new one may be as loud as that, so that its level does not tell."""
    hop, window = max(1, round(FINE_HOP_S * rate_hz)), max(32, round(FINE_WINDOW_S * rate_hz))
    reach = round(REFINE_S * rate_hz)
    first, last = max(0, about - reach - window), min(len(sound), about + reach + window)
    part = np.asarray(sound[first:last], np.float64)
    if len(part) < 3 * window:
        return about
    frames = np.lib.stride_tricks.sliding_window_view(part, window)[::hop]
    scale = 300.0 / max(1e-6, float(np.abs(part).max())) / window
    magnitudes = np.log1p(np.abs(np.fft.rfft(frames * np.hanning(window), axis=1)) * scale)
    lag = max(1, round(FINE_LAG_S / FINE_HOP_S))
    grown = np.maximum(0.0, magnitudes[lag:] - magnitudes[:-lag]).sum(axis=1)
    # Growth is greatest once the new sound has come to the middle of the later frame.
    return first + (int(np.argmax(grown)) + lag) * hop + round(FINE_AT * window)

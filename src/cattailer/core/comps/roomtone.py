"""Silence between pieces filled with the room's own sound, where a take has some."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from cattailer.core.comps.comppiece import CompPiece, Fade, Pieces
from cattailer.core.comps.fades import POWER

LEAST_S, MOST_S = 0.4, 3.0
LOUDEST_DBFS = -50.0
"""Louder than this it is no room tone but somebody."""
SEAM_S = 0.05


def quietest(peaks: NDArray[np.float64], step: int, rate_hz: int) -> tuple[int, int] | None:
    """The stretch of a take with the least in it that is not digital silence: [start, stop) in samples. ``peaks`` are
    the highest amplitudes of every ``step`` samples. None where nothing is quiet for long enough."""
    width = max(1, round(LEAST_S * rate_hz / step))
    if len(peaks) < width + 2:
        return None
    # What fades in or out at the ends is no tone.
    highest = np.lib.stride_tricks.sliding_window_view(peaks[1:-1], width).max(axis=1)
    highest = np.where(highest > 1e-7, highest, np.inf)
    best = int(np.argmin(highest))
    if not highest[best] <= 10.0 ** (LOUDEST_DBFS / 20.0):
        return None
    limit, last, longest = highest[best] * 1.5, best + width, round(MOST_S * rate_hz / step)
    while last < len(peaks) - 2 and peaks[1 + last] <= limit and last - best < longest:
        last += 1
    return (1 + best) * step, (1 + last) * step


def filled(pieces: Pieces, take: int, tone: tuple[int, int], rate_hz: int) -> Pieces:
    """Pieces with every gap between them laid out with that stretch of a take, over and over where a gap is longer;
    it crosses slowly into what it borders on."""
    out: list[CompPiece] = []
    seam, length = Fade(round(SEAM_S * rate_hz), POWER), tone[1] - tone[0]
    inner, at = max(1, length - seam.samples), pieces[0].stop if pieces else 0
    for piece in pieces:
        laid = at < piece.start and piece.seam is None
        while at < piece.start:
            samples = min(inner, piece.start - at)
            out.append(CompPiece(take, at, samples, tone[0] + seam.samples // 2, seam=seam, layer=piece.layer))
            at += samples
        out.append(replace(piece, seam=seam) if laid else piece)
        at = max(at, piece.stop)
    return tuple(out)


def is_silent_between(pieces: Pieces) -> bool:
    """Whether there is a stretch between pieces in which no layer sounds."""
    until = pieces[0].stop if pieces else 0
    for piece in pieces:
        if piece.start > until:
            return True
        until = max(until, piece.stop)
    return False

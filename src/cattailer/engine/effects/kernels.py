"""The loops that NumPy cannot do at once, compiled by numba: recursive filters and dynamics for all rows together.

Sound lies as (samples, rows), so that the innermost loop runs over rows and the processor takes several at a time.
Compiled code is kept beside this file, or in numba's own folder where that cannot be written.
"""

from functools import cache

import numpy as np
from numba import njit

CHUNK = 16
"""A compressor's gain is worked out once for so many samples, and moves in a straight line between."""
_TINY = 1e-24
_DB = 20.0 / np.log(10.0)
"""Decibels in a factor of e."""


@njit(cache=True)
def equalise(sound, coefficients, state, active):  # type: ignore[no-untyped-def]
    """Second-order sections in transposed direct form II, in place.

    ``sound`` (samples, rows), ``coefficients`` (sections, 5, rows), ``state`` (sections, 2, rows); sections that are
    not ``active`` let everything through.
    """
    samples, rows = sound.shape
    for s in range(coefficients.shape[0]):
        if not active[s]:
            continue
        b0, b1, b2, a1, a2 = (
            coefficients[s, 0], coefficients[s, 1], coefficients[s, 2], coefficients[s, 3], coefficients[s, 4]
        )
        z1, z2 = state[s, 0], state[s, 1]
        for t in range(samples):
            row = sound[t]
            for r in range(rows):
                x = row[r]
                y = b0[r] * x + z1[r]
                z1[r] = b1[r] * x - a1[r] * y + z2[r]
                z2[r] = b2[r] * x - a2[r] * y
                row[r] = y
        for r in range(rows):
            # Numbers too small to be normal would slow the processor down.
            if abs(z1[r]) < _TINY:
                z1[r] = 0.0
            if abs(z2[r]) < _TINY:
                z2[r] = 0.0


@njit(cache=True)
def compress(sound, pairs, attack, release, settings, change, weight, envelope, gain, least):  # type: ignore[no-untyped-def]
    """A feed-forward compressor on every row, in place; a pair is turned down as one, by its louder side.

    ``pairs`` (pairs, 2) are the rows of pairs. ``settings`` (3, rows): threshold in dB, 1 - 1/ratio, half the knee in
    dB; they are on their way by ``change``, of which ``weight`` (samples) is done. ``envelope``, ``gain`` (rows) are
    kept from block to block; ``least`` becomes each row's lowest gain.
    """
    samples, rows = sound.shape
    level = np.empty(rows)
    start = 0
    while start < samples:
        stop = min(samples, start + CHUNK)
        for t in range(start, stop):
            row = sound[t]
            for r in range(rows):
                level[r] = abs(row[r])
            for p in range(len(pairs)):
                louder = max(level[pairs[p, 0]], level[pairs[p, 1]])
                level[pairs[p, 0]] = louder
                level[pairs[p, 1]] = louder
            for r in range(rows):
                # Both ways are worked out and one is taken, which the processor does for several rows at once.
                way = level[r] - envelope[r]
                up, down = attack[r] * way, release[r] * way
                envelope[r] += up if way > 0.0 else down
        done = weight[stop - 1]
        for r in range(rows):
            if envelope[r] < _TINY:
                envelope[r] = 0.0
            threshold = settings[0, r] + done * change[0, r]
            slope = settings[1, r] + done * change[1, r]
            knee = settings[2, r] + done * change[2, r]
            over = _DB * np.log(envelope[r] + 1e-12) - threshold
            if over <= -knee:
                excess = 0.0
            elif over >= knee:
                excess = over
            else:
                excess = (over + knee) ** 2 / (4.0 * knee)
            level[r] = np.exp(-slope * excess / _DB) if excess > 0.0 else 1.0
            least[r] = min(least[r], level[r])
        for t in range(start, stop):
            part = (t + 1 - start) / (stop - start)
            row = sound[t]
            for r in range(rows):
                row[r] *= gain[r] + part * (level[r] - gain[r])
        for r in range(rows):
            gain[r] = level[r]
        start = stop


@njit(cache=True)
def limit(sound, ceiling, recover, gain, least):  # type: ignore[no-untyped-def]
    """Keeps pairs of rows at or under ``ceiling`` (pairs), in place: it goes down at once and comes back by ``recover``
    a sample. ``gain`` is kept from block to block, ``least`` becomes the lowest."""
    for m in range(len(ceiling)):
        left, right, g, low = sound[2 * m], sound[2 * m + 1], gain[m], least[m]
        top = ceiling[m]
        for t in range(sound.shape[1]):
            peak = max(abs(left[t]), abs(right[t]))
            g += recover * (1.0 - g)
            if peak * g > top:
                g = top / peak
            left[t] *= g
            right[t] *= g
            low = min(low, g)
        gain[m], least[m] = g, low


@cache
def warm_up() -> None:
    """Compiles, or fetches what was compiled before, so that the first block is not late."""
    wide = np.zeros((16, 2))
    rows, three = np.zeros(2), np.zeros((3, 2))
    equalise(wide, np.zeros((5, 5, 2)), np.zeros((5, 2, 2)), np.ones(5, np.bool_))
    pairs, done = np.zeros((1, 2), np.intp), np.zeros(16)
    compress(wide, pairs, rows, rows, three, three, done, rows.copy(), np.ones(2), np.ones(2))
    limit(np.zeros((2, 16), np.float32), np.ones(1), 0.1, np.ones(1), np.ones(1))

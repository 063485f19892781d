"""The loops that NumPy cannot do at once, compiled by numba: recursive filters and dynamics for all rows together.

Sound lies as (samples, rows), so that the innermost loop runs over rows and the processor takes several at a time.
Compiled code is kept beside this file, or in numba's own folder where that cannot be written.
"""

from functools import cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

HOLD_S = 0.010
"""So long a compressor's level stays at a peak: half a period of 50 Hz."""
_TINY = 1e-24
_LITTLE_DB = 1e-9
F = np.float32
DB_OF_TWO, BIG = F(20.0 * np.log10(2.0)), F(1 << 23)


def held_places(rate_hz: int) -> NDArray[np.intp]:
    """The delay lines whose maxima, one after the other, are the highest of the last ``HOLD_S``: the first row and the
    length of each, shape (lines, 2). Each doubles the time that is covered, and the last adds what is missing."""
    hold, covered, lengths = round(HOLD_S * rate_hz), 1, list[int]()
    while covered < hold:
        lengths.append(min(covered, hold - covered))
        covered += lengths[-1]
    return np.array([(sum(lengths[:n]), length) for n, length in enumerate(lengths)], np.intp)


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


@njit(cache=True, error_model="numpy")  # a look whether a divisor is 0 would take one row after the other
def compress(sound, pairs, attack, release, settings, change, weight, lines, places, at, down, least):  # type: ignore[no-untyped-def]
    """A feed-forward compressor on every row, in place; a pair is turned down as one, by its louder side.

    The level is the highest of the last so many samples; the gain computer works in dB, and one branching pole smooths
    the reduction (D. Giannoulis, M. Massberg, J. D. Reiss, "Digital dynamic range compressor design", 2012).

    ``pairs`` (pairs, 2) are the rows of pairs. ``settings`` (3, rows): threshold in dB, 1 - 1/ratio, half the knee in
    dB; they are on their way by ``change``, of which ``weight`` (samples) is done. ``lines`` (samples, rows) are the
    delays of ``held_places``, which are ``at`` (places) so far; ``down`` (rows) is the reduction in dB. Both are kept
    from block to block; ``least`` becomes each row's lowest gain.
    """
    samples, rows = sound.shape
    # Numbers are taken apart into bits in arrays of their own, and whole numbers become floats by way of 2^23, whose
    # last bit is worth 1: so the processor takes several rows at once.
    level, part, whole = np.empty(rows, np.float32), np.empty(rows, np.float32), np.empty(rows, np.float32)
    bits, whole_bits = level.view(np.int32), whole.view(np.int32)
    exponent_bits, fraction_bits, power_bits = np.empty((3, rows), np.int32)
    exponent, fraction = exponent_bits.view(np.float32), fraction_bits.view(np.float32)
    power = power_bits.view(np.float32)
    for t in range(samples):
        done = weight[t]
        for r in range(rows):
            level[r] = abs(sound[t, r])
        for p in range(len(pairs)):
            louder = max(level[pairs[p, 0]], level[pairs[p, 1]])
            level[pairs[p, 0]] = louder
            level[pairs[p, 1]] = louder
        for k in range(len(places)):
            line = places[k, 0] + at[k]
            for r in range(rows):
                before = lines[line, r]
                lines[line, r] = level[r]
                level[r] = max(level[r], before)
            at[k] = at[k] + 1 if at[k] + 1 < places[k, 1] else 0
        for r in range(rows):
            exponent_bits[r] = (bits[r] >> 23) | 0x4B000000
            fraction_bits[r] = (bits[r] & 0x007FFFFF) | 0x3F800000
        for r in range(rows):
            # log2(1.5 + m) within 0.000001, by Chebyshev interpolation.
            m = fraction[r] - F(1.5)
            log = F(-0.025110141) + m * F(0.0144403525)
            log = F(0.142508024) + m * (F(-0.070594554) + m * (F(0.0376104643) + m * log))
            log = F(0.584962759) + m * (F(0.96179654) + m * (F(-0.320631878) + m * log))
            level[r] = DB_OF_TWO * (exponent[r] - (BIG + F(127.0)) + log)
        for r in range(rows):
            knee = settings[2, r] + done * change[2, r]
            over = level[r] - settings[0, r] - done * change[0, r]
            bent = min(max(over + knee, 0.0), 2.0 * knee)
            wanted = (settings[1, r] + done * change[1, r]) * (bent * bent / (4.0 * knee) + max(over - knee, 0.0))
            way = wanted - down[r]
            quick, slow = attack[r] * way, release[r] * way
            down[r] += quick if way > 0.0 else slow
        for r in range(rows):
            # 2 to the power of x: a whole power, and 1 + x q(x) of the rest, exactly 1 where nothing is turned down.
            x = F(-down[r]) * F(1.0 / DB_OF_TWO)
            n = np.floor(x)
            x -= n
            q = F(0.00965219506) + x * (F(0.00126921661) + x * F(0.00020817915))
            part[r] = F(1.0) + x * (F(0.693147171) + x * (F(0.240227204) + x * (F(0.0554960236) + x * q)))
            whole[r] = n + (BIG + F(127.0))
        for r in range(rows):
            power_bits[r] = whole_bits[r] << 23
        for r in range(rows):
            gain = part[r] * power[r]
            sound[t, r] *= gain
            least[r] = min(least[r], gain)
    for r in range(rows):
        if down[r] < _LITTLE_DB:
            down[r] = 0.0


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
    places = held_places(48_000)
    lines = np.zeros((places[-1].sum(), 2), np.float32)
    at = np.zeros(len(places), np.intp)
    compress(wide, pairs, rows, rows, three + 1.0, three, done, lines, places, at, rows.copy(), np.ones(2))
    limit(np.zeros((2, 16), np.float32), np.ones(1), 0.1, np.ones(1), np.ones(1))

"""The loops that NumPy cannot do at once, compiled by numba: recursive filters and dynamics for all rows together.

Sound lies as (samples, rows), so that the innermost loop runs over rows and the processor takes several at a time.
Compiled code is kept beside this file, or in numba's own folder where that cannot be written.
"""

from functools import cache

import numpy as np
from numba import njit

HOLD_S = 0.010
"""So long a compressor's level stays at a peak: half a period of 50 Hz."""
_TINY = 1e-290
"""Numbers too small to be normal slow the processor down. This is far below what is left of a sound as float32, so that
where blocks begin makes no difference to it."""
_LITTLE_DB = 1e-9
GRAIN = 1e-10
"""What is smaller becomes nothing where sound leaves: as float32 it would slow down all that comes after."""

F = np.float32
DB_OF_TWO, BIG, _FLOOR = F(20.0 * np.log10(2.0)), F(1 << 23), F(1e-5)


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
            if abs(z1[r]) < _TINY:
                z1[r] = 0.0
            if abs(z2[r]) < _TINY:
                z2[r] = 0.0


@njit(cache=True, error_model="numpy")
def hold(sound, level_db, pairs, kept, highest, at):  # type: ignore[no-untyped-def]
    """Writes to ``level_db`` (samples, rows) the highest of the last so many samples of ``sound``, of the louder side
    where two rows are a pair, and ``_FLOOR`` where that is less.

    ``pairs`` (pairs, 2) are the rows of pairs. ``kept`` (as many samples, rows) is filled again and again: up to ``at``
    (1) with samples, the highest of which is ``highest`` (rows), and from there with the highest of what was there from
    each on (M. van Herk, "A fast algorithm for local minimum and maximum filters", 1992).
    """
    samples, rows = sound.shape
    length, place = len(kept), at[0]
    # Numbers are taken apart into bits in arrays of their own, and whole numbers become floats by way of 2^23, whose
    # last bit is worth 1; loops are short and each does little: so the processor takes several rows at once.
    row = np.empty(rows, np.float32)
    exponent_bits, fraction_bits = np.empty((2, rows), np.int32)
    bits, exponent, fraction = row.view(np.int32), exponent_bits.view(np.float32), fraction_bits.view(np.float32)
    for t in range(samples):
        came, out = sound[t], level_db[t]
        for r in range(rows):
            row[r] = abs(came[r])
        for p in range(len(pairs)):
            louder = max(row[pairs[p, 0]], row[pairs[p, 1]])
            row[pairs[p, 0]] = louder
            row[pairs[p, 1]] = louder
        own, after = kept[place], kept[place + 1 if place + 1 < length else place]
        for r in range(rows):
            own[r] = row[r]
        for r in range(rows):
            highest[r] = max(highest[r], row[r])
        for r in range(rows):
            row[r] = max(max(highest[r], after[r]), _FLOOR)
        place += 1
        if place == length:
            for k in range(1, length):
                later, earlier = kept[length - k], kept[length - k - 1]
                for r in range(rows):
                    earlier[r] = max(earlier[r], later[r])
            highest[:] = F(0.0)
            place = 0
        for r in range(rows):
            exponent_bits[r] = (bits[r] >> 23) | 0x4B000000
            fraction_bits[r] = (bits[r] & 0x007FFFFF) | 0x3F800000
        for r in range(rows):
            # log2(1.5 + m) within 0.000001, by Chebyshev interpolation.
            m = fraction[r] - F(1.5)
            log = F(-0.025110141) + m * F(0.0144403525)
            log = F(0.142508024) + m * (F(-0.070594554) + m * (F(0.0376104643) + m * log))
            log = F(0.584962759) + m * (F(0.96179654) + m * (F(-0.320631878) + m * log))
            out[r] = DB_OF_TWO * (exponent[r] - (BIG + F(127.0)) + log)
    at[0] = place


@njit(cache=True, error_model="numpy")
def to_gains(values):  # type: ignore[no-untyped-def]
    """What is in dB, none above 0, becomes a gain, in place: exactly 1 where next to nothing is turned down."""
    many = len(values)
    part, bits = np.empty(many, np.float32), np.empty(many, np.int32)
    whole = values.view(np.int32)
    for n in range(many):
        # 2 to the power of x: a whole power, and 1 + x q(x) of the rest; x is never too small to be normal.
        x = values[n] * F(1.0 / DB_OF_TWO)
        floor = np.floor(x)
        x -= floor
        q = F(0.00965219506) + x * (F(0.00126921661) + x * F(0.00020817915))
        part[n] = F(1.0) + x * (F(0.693147171) + x * (F(0.240227204) + x * (F(0.0554960236) + x * q)))
        values[n] = floor + (BIG + F(127.0))
    for n in range(many):
        bits[n] = whole[n] << 23
    power = bits.view(np.float32)
    for n in range(many):
        values[n] = part[n] * power[n]


@njit(cache=True, error_model="numpy")  # a look whether a divisor is 0 would take one row after the other
def compress(sound, level_db, settings, down, least):  # type: ignore[no-untyped-def]
    """A feed-forward compressor on every row, in place.

    The gain computer works in dB, and one branching pole smooths the reduction (D. Giannoulis, M. Massberg,
    J. D. Reiss, "Digital dynamic range compressor design", 2012).

    ``level_db`` (samples, rows) is what it goes by: see ``hold``. ``settings`` (6, rows): threshold in dB, 1 - 1/ratio,
    half the knee in dB, the share of its way that the pole does in a sample, up and down, and the gain that makes up.
    What is smaller than ``GRAIN`` becomes nothing.

    ``down`` (rows) is the reduction in dB and kept from block to block; ``least`` becomes each row's lowest gain,
    without what makes up.
    """
    samples, rows = sound.shape
    threshold, slope, half_knee = settings[0].astype(F), settings[1].astype(F), settings[2].astype(F)
    of_knee, attack, release, wanted = F(0.25) / half_knee, settings[3], settings[4], np.empty(rows, np.float32)
    make_up, most = settings[5].astype(F), down.copy()
    lower = np.empty((samples, rows), np.float32)
    for t in range(samples):
        level, turned = level_db[t], lower[t]
        for r in range(rows):
            over = level[r] - threshold[r]
            bent = min(max(over + half_knee[r], F(0.0)), half_knee[r] + half_knee[r])
            wanted[r] = slope[r] * (bent * bent * of_knee[r] + max(over - half_knee[r], F(0.0)))
        for r in range(rows):
            way = wanted[r] - down[r]
            quick, slow = attack[r] * way, release[r] * way
            down[r] += quick if way > 0.0 else slow
            most[r] = max(most[r], down[r])
            turned[r] = F(_LITTLE_DB - down[r])
    gains = lower.reshape(-1)
    to_gains(gains)
    for t in range(samples):
        row, gain = sound[t], lower[t]
        for r in range(rows):
            row[r] = row[r] * (gain[r] * make_up[r]) + GRAIN - GRAIN
    for r in range(rows):
        wanted[r] = F(_LITTLE_DB - most[r])
    to_gains(wanted)
    for r in range(rows):
        least[r] = min(least[r], wanted[r])
    for r in range(rows):
        if down[r] < _TINY:
            down[r] = 0.0


@cache
def warm_up() -> None:
    """Compiles, or fetches what was compiled before, so that the first block is not late."""
    wide, level = np.zeros((16, 2)), np.zeros((16, 2), np.float32)
    equalise(wide, np.zeros((5, 5, 2)), np.zeros((5, 2, 2)), np.ones(5, np.bool_))
    kept, highest = np.zeros((480, 2), np.float32), np.zeros(2, np.float32)
    hold(wide, level, np.zeros((1, 2), np.intp), kept, highest, np.zeros(1, np.intp))
    compress(wide, level, np.ones((6, 2)), np.zeros(2), np.ones(2, np.float32))

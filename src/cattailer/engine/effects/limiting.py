"""The limiter's loops, compiled by numba. What they are set to is given to them: compiled code does not know when a
constant of another file has changed."""

import numpy as np
from numba import njit

F = np.float32
_AT_ONCE = 384
"""So many samples are looked at together, if a period is shorter."""
_BACK = F(1e-6)
"""A gain this near to 1 is 1: that is not heard."""


@njit(cache=True, error_model="numpy")
def loudest(line, spare):  # type: ignore[no-untyped-def]
    """The peak of (2, samples); ``spare`` (at least samples) is written over."""
    left, right = line[0], line[1]
    for t in range(len(left)):
        spare[t] = max(abs(left[t]), abs(right[t]))
    return highest(spare, len(left))


@njit(cache=True, error_model="numpy")
def highest(values, many):  # type: ignore[no-untyped-def]
    """Of the first so many, which are written over."""
    while many > 1:
        half = (many + 1) // 2
        later = values[half:many]
        for t in range(len(later)):
            values[t] = max(values[t], later[t])
        many = half
    return values[0]


@njit(cache=True, error_model="numpy")
def between(sound, peak, taps, spare):  # type: ignore[no-untyped-def]
    """Writes to ``peak`` the highest of seven places between two samples: in the middle, then in the middle of what is
    there, and once more. The first is between the two in the middle of the first 2 x ``REACH``, and there are as many
    as fit. ``taps`` as in ``core/mix/limiting.py``; ``spare`` (3, samples) is written over."""
    (half, (a, b, c, d), (e, f)), (middle, second, sixth) = taps, spare
    reach = len(half)
    many = len(sound) - 2 * reach + 1
    for i in range(reach):
        before, after, tap = sound[reach - 1 - i :], sound[reach + i :], half[i]
        if i == 0:
            for t in range(many):
                middle[t] = tap * (before[t] + after[t])
        else:
            for t in range(many):
                middle[t] += tap * (before[t] + after[t])
    x, x_1, x_2, x_3 = sound[reach:], sound[reach + 1 :], sound[reach + 2 :], sound[reach + 3 :]
    m, m_1, m_2, m_3, m_4 = middle, middle[1:], middle[2:], middle[3:], middle[4:]
    for t in range(many - 4):
        second[t] = (a * (x_1[t] + m_2[t]) + b * (m_1[t] + x_2[t])) + (c * (x[t] + m_3[t]) + d * (m[t] + x_3[t]))
    for t in range(many - 4):
        sixth[t] = (a * (m_2[t] + x_2[t]) + b * (x_1[t] + m_3[t])) + (c * (m_1[t] + x_3[t]) + d * (x[t] + m_4[t]))
    s, s_1, six, six_1 = second[1:], second[2:], sixth, sixth[1:]
    for t in range(len(peak)):
        peak[t] = max(max(abs(s[t]), abs(m_3[t])), abs(six_1[t]))
    for t in range(len(peak)):
        one, three = e * (x_2[t] + s[t]) + f * (six[t] + m_3[t]), e * (s[t] + m_3[t]) + f * (x_2[t] + six_1[t])
        peak[t] = max(peak[t], max(abs(one), abs(three)))
    for t in range(len(peak)):
        five, seven = e * (m_3[t] + six_1[t]) + f * (s[t] + x_3[t]), e * (six_1[t] + x_3[t]) + f * (m_3[t] + s_1[t])
        peak[t] = max(peak[t], max(abs(five), abs(seven)))


@njit(cache=True, error_model="numpy")
def true_peaks(lines, slots, ahead, reach, taps, peaks):  # type: ignore[no-untyped-def]
    """Writes to ``peaks`` (slots, samples) the highest between each sample and the next, of both sides of ``lines``.

    Several are looked at as one long stretch, as it takes longer to begin a loop than to go through a period; what
    comes out where two of them meet is not used."""
    samples = peaks.shape[1]
    wide, many = samples + 2 * reach - 1, 2 * max(1, _AT_ONCE // (2 * samples))
    stretch, found = np.empty(many * wide, F), np.empty(many * wide, F)
    spare = np.empty(many * wide, F), np.empty(many * wide, F), np.empty(many * wide, F)
    for first in range(0, 2 * len(slots), many):
        rows = min(many, 2 * len(slots) - first)
        for n in range(rows):
            row, part = lines[slots[(first + n) // 2], (first + n) % 2], stretch[n * wide :]
            for t in range(wide):
                part[t] = row[ahead + 1 - reach + t]
        between(stretch[: rows * wide], found[: (rows - 1) * wide + samples], taps, spare)
        for n in range(rows):
            peak, part = peaks[(first + n) // 2], found[n * wide :]
            for t in range(samples):
                peak[t] = part[t] if (first + n) % 2 == 0 else max(peak[t], part[t])


@njit(cache=True, error_model="numpy")
def limit(  # type: ignore[no-untyped-def]
    mixes, slots, ceilings, true_peak, taps, ahead, ease, recover, lines, last, kept, lowest, at, down, less, quiet,
    least,
):
    """Delays mixes and keeps them at or under their ceilings, in place; see ``engine/block/limiter.py``.

    ``mixes`` (2 x mixes, samples); ``slots`` (mixes) is where what belongs to each of them is: all the rest is by slot.
    ``ceilings`` and ``true_peak`` say how loud it may be, and whether places between samples count. ``taps`` make these
    (see ``between``) and say how many times as loud as samples they are at most. A gain goes down by ``ease``, which is
    as long as it looks ``ahead`` and 1, or up to two longer, so that it is a multiple of three.

    State: ``lines`` (2, delay and a period) of sound, ``last`` the peak between the newest two samples, ``kept``,
    ``lowest`` and ``at`` the lowest gain of late as in ``kernels.hold``, ``down`` how far the gain is from 1, ``less``
    (ease and a period) how far it was, ``quiet`` since how many samples nothing was too loud. ``least`` becomes the
    lowest gain.
    """
    samples, long = mixes.shape[1], kept.shape[1]
    reach, bound, halves = taps
    most, delay = np.empty(lines.shape[2], F), ahead + reach
    calm, looks = np.empty(len(slots), np.bool_), np.zeros(len(slots), np.bool_)
    looked_at, looked = np.empty(len(slots), np.intp), 0
    for m in range(len(slots)):
        slot = slots[m]
        for side in range(2):
            came, line = mixes[2 * m + side], lines[slot, side, delay:]
            for t in range(samples):
                line[t] = came[t]
        high = loudest(lines[slot, :, : delay + samples], most)
        calm[m] = quiet[slot] > long + ahead and down[slot] < _BACK and high <= ceilings[slot]
        looks[m] = true_peak[slot] and not (calm[m] and bound * high <= ceilings[slot])
        if looks[m]:
            looked_at[looked] = slot
            looked += 1
    peaks = np.empty((looked, samples), F)
    if looked:
        true_peaks(lines, looked_at[:looked], ahead, reach, halves, peaks)
    peak, place, looked = np.empty(samples, F), np.empty(samples, F), 0
    for m in range(len(slots)):
        slot = slots[m]
        top, left, right, short = ceilings[slot], lines[slot, 0], lines[slot, 1], less[slot]
        out, other = mixes[2 * m], mixes[2 * m + 1]
        peak[:], newest = F(0.0), F(0.0)
        if looks[m]:
            found, newest = peaks[looked], peaks[looked, samples - 1]
            looked += 1
            peak[0] = max(last[slot], found[0])
            for t in range(1, samples):
                peak[t] = max(found[t], found[t - 1])
            if calm[m]:
                for t in range(samples):
                    most[t] = peak[t]
                calm[m] = highest(most, samples) <= top
        last[slot] = newest
        if calm[m]:
            down[slot], short[:ahead] = F(0.0), F(0.0)
            for t in range(samples):
                out[t] = left[t]
            for t in range(samples):
                other[t] = right[t]
        else:
            for t in range(samples):
                peak[t] = max(peak[t], max(abs(left[ahead + t]), abs(right[ahead + t])))
            for t in range(samples):
                place[t] = min(top / max(peak[t], F(1e-9)), F(1.0))
            calm_from = samples
            while calm_from > 0 and place[calm_from - 1] == F(1.0):
                calm_from -= 1
            quiet[slot] = samples - calm_from if calm_from else quiet[slot] + samples
            low, spot, lately, done = lowest[slot], at[slot], kept[slot], 0
            while done < samples:
                count = min(samples - done, long - spot)
                wanted, held, own = place[done : done + count], peak[done : done + count], lately[spot : spot + count]
                for t in range(count):
                    low = min(low, wanted[t])
                    held[t] = low
                before = lately[spot + 1 : spot + count + 1]
                for t in range(len(before)):
                    held[t] = min(held[t], before[t])
                for t in range(count):
                    own[t] = wanted[t]
                done, spot = done + count, spot + count
                if spot == long:
                    for k in range(long - 2, -1, -1):
                        lately[k] = min(lately[k], lately[k + 1])
                    low, spot = F(1.0), 0
            off, deepest = down[slot], F(0.0)
            for t in range(samples):
                # Down at once, and back slowly, which is never less than what is held. Counted from 1, as a gain that
                # is nearly 1 could not get nearer.
                off = max(F(1.0) - peak[t], off + recover * (F(1.0) - peak[t] - off))
                deepest = max(deepest, off)
                short[ahead + t] = off
            least[slot] = min(least[slot], F(1.0) - deepest)
            down[slot], lowest[slot], at[slot] = off, low, spot
            place[:] = F(0.0)
            for k in range(0, len(ease), 3):
                some, one, two = short[k:], short[k + 1 :], short[k + 2 :]
                share, next_share, last_share = ease[k], ease[k + 1], ease[k + 2]
                for t in range(samples):
                    place[t] += share * some[t] + next_share * one[t] + last_share * two[t]
            for t in range(samples):
                place[t] = F(1.0) - place[t]
            for t in range(samples):
                out[t] = left[t] * place[t]
            for t in range(samples):
                other[t] = right[t] * place[t]
            for t in range(ahead):
                short[t] = short[samples + t]
        for t in range(delay):
            left[t] = left[samples + t]
        for t in range(delay):
            right[t] = right[samples + t]

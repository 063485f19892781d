"""The click that leaks from headphones into a quiet microphone, found in what was captured.

Each tick's own waveform is laid over the sound at every lateness that the way through the air and the driver allows
(a matched filter; Turin, "An introduction to matched filters", IRE Trans. IT-6, 1960). What leaks comes at the same
lateness, with the same sign, at every tick; what is played does not, however well it is in time. So the mean over all
ticks is held against its scatter, and the lateness with the clearest mean is the click's, if it is clear enough.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.signal import fftconvolve

from cattailer.core.units import decibels

Floats = NDArray[np.float32]
EARLIEST_S, LATEST_S = -0.005, 0.03
FEWEST_TICKS, MOST_TICKS = 12, 400
CLEAR = 8.0
"""How far the mean stands above its own scatter where it is the click's: chance gives about 4 among so many places."""
LOUD_SHARE = 0.75
"""Of all ticks the quieter three quarters are looked at: where something is played, less is heard of what leaks."""


def click_dbfs(
    sound: Floats, ticks: Sequence[tuple[int, int]], waves: Sequence[Floats], rate_hz: int
) -> float | None:
    """The peak in dBFS of the loudest ticks in ``sound``, shape (samples,); None where none are heard. ``ticks`` are
    (sample, kind), ``waves`` what they sound like by kind."""
    early, late = round(EARLIEST_S * rate_hz), round(LATEST_S * rate_hz)
    longest = max(len(w) for w in waves)
    inside = [(at, k) for at, k in ticks if at + early >= 0 and at + late + longest <= len(sound)][:MOST_TICKS]
    if len(inside) < FEWEST_TICKS:
        return None
    cut = np.stack([sound[at + early : at + late + longest] for at, _ in inside])
    power = np.mean(np.square(cut), axis=1)
    kept = np.argsort(power)[: max(FEWEST_TICKS, round(LOUD_SHARE * len(inside)))]
    fits = np.stack([_fit(cut[n], waves[inside[n][1]])[: late - early] for n in kept])
    mean = fits.mean(axis=0)
    scatter = np.maximum(fits.std(axis=0), 1e-12) / np.sqrt(len(kept))
    best = int(np.argmax(np.abs(mean)))
    if abs(mean[best]) < CLEAR * float(np.median(scatter)) or abs(mean[best]) < CLEAR / 2 * scatter[best]:
        return None
    loudest = max(float(np.abs(w).max()) for w in waves)
    return decibels(abs(float(mean[best])) * loudest)


def _fit(sound: Floats, wave: Floats) -> Floats:
    """How much of the wave there is at each place."""
    out: Floats = fftconvolve(sound, wave[::-1], mode="valid") / float(np.square(wave).sum())
    return out

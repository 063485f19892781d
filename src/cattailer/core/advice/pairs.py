"""Two rows compared: a stereo pair, or a microphone and its DI."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft

from cattailer.core.gear.latency import SPEED_OF_SOUND_M_S
from cattailer.core.sound.align import Rival, find_offset

MOST_S = 0.03
WHITENING = 0.8
SURE = 0.2
OCTAVES_HZ = (63, 125, 250, 500, 1000, 2000, 4000, 8000)

THINS_DB, CANCELS_DB = -1.0, -6.0

Floats = NDArray[np.float32]


def support(sum_db: float) -> str:
    """What adding two signals does to an octave: "adds", "thins" or "cancels"."""
    return "adds" if sum_db > THINS_DB else "thins" if sum_db > CANCELS_DB else "cancels"


@dataclass(frozen=True)
class Comparison:
    """``correlation`` is as they are (-1 to 1); ``offset_samples`` is how late the second is.

    ``rivals`` are other distances that fit about as well: then it is not sure which is the right one.

    ``sum_db`` says by octave what adding the two does, against two signals that have nothing in
    common: +3 dB is full support, strongly negative is cancelling.
    """

    correlation: float
    offset_samples: float
    cm_per_sample: float
    strength: float
    inverted: bool
    related: bool
    sum_db: tuple[tuple[int, float], ...]
    rivals: tuple[Rival, ...] = ()

    @property
    def offset_cm(self) -> float:
        return self.cm_per_sample * self.offset_samples

    @property
    def sure(self) -> bool:
        """Whether polarity and distance are told, and not guessed."""
        return self.related and not self.rivals

    @property
    def octaves(self) -> list[tuple[int, float, str]]:
        """Octave in Hz, what adding gives there in dB, and what that means."""
        return [(hz, db, support(db)) for hz, db in self.sum_db]

    @property
    def words(self) -> str:
        if not self.related:
            return "They have too little in common to tell polarity or distance."
        if self.rivals:
            return self._doubtful()
        turned = "Polarity is turned. " if self.inverted else "Polarity agrees. "
        if abs(self.offset_samples) < 0.5:
            place = "They arrive together."
        else:
            who = "second" if self.offset_samples > 0 else "first"
            place = (
                f"The {who} is {abs(self.offset_samples):.1f} samples later: {abs(self.offset_cm):.0f} cm of air."
            )
        worst = min(self.sum_db, key=lambda band: band[1], default=None)
        lost = ""
        if worst is not None and worst[1] < -3.0:
            lost = f" Added up they lose {-worst[1]:.0f} dB around {_hertz(worst[0])}."
        elif worst is not None:
            lost = " Added up they cancel nothing that matters."
        return turned + place + lost

    def _doubtful(self) -> str:
        """Which distances fit, how well beside the best, and what would settle it."""
        fits = [f"{self.offset_cm:+.0f} cm (the best fit)"]
        fits += [f"{self.cm_per_sample * r.samples:+.0f} cm ({100.0 * r.share:.0f} % of the best)" for r in self.rivals]
        also = " or polarity" if any(r.inverted for r in self.rivals) else ""
        told = ", ".join(fits).replace("-", "−")
        return (
            f"Steady notes fit at several distances, so the right one{also} cannot be determined. The second may be "
            f"late by {told}. Make a short sound, for example a clap, and compare again."
        )


def compare(first: Floats, second: Floats, rate_hz: int) -> Comparison:
    """Compares two mono stretches of the same moment, at least a tenth of a second long."""
    offset = find_offset(first, second, round(MOST_S * rate_hz), WHITENING)
    a = first.astype(np.float64) - first.mean(dtype=np.float64)
    b = second.astype(np.float64) - second.mean(dtype=np.float64)
    energy = math.sqrt(float(a @ a) * float(b @ b))
    related = abs(offset.strength) >= SURE
    return Comparison(
        float(a @ b) / energy if energy > 0.0 else 0.0, offset.samples,
        100.0 / rate_hz * SPEED_OF_SOUND_M_S, offset.strength, offset.inverted, related,
        _sums(a, b, rate_hz) if energy > 0.0 else (), offset.rivals,
    )


def _sums(a: NDArray[np.float64], b: NDArray[np.float64], rate_hz: int) -> tuple[tuple[int, float], ...]:
    """Power of the sum against the sum of powers, by octave; octaves without sound are left out."""
    hz = fft.rfftfreq(len(a), 1.0 / rate_hz)
    spectra = [fft.rfft(x) for x in (a, b, a + b)]
    powers = [np.abs(s) ** 2 for s in spectra]
    loudest = float((powers[0] + powers[1]).sum())
    out = []
    for centre in OCTAVES_HZ:
        band = (hz >= centre / math.sqrt(2)) & (hz < centre * math.sqrt(2))
        apart = float((powers[0] + powers[1])[band].sum())
        if apart > 1e-5 * loudest:
            together = float(powers[2][band].sum())
            out.append((centre, 10.0 * math.log10(max(together / apart, 1e-6))))
    return tuple(out)


def _hertz(hz: float) -> str:
    return f"{hz / 1000:g} kHz" if hz >= 1000 else f"{hz:g} Hz"

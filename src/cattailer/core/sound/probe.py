"""The round trip measured: a test signal, what came back, and what that means."""

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from cattailer.core.sound.align import SURE, agreement, find_offset
from cattailer.core.sound.meters import CLIP_RUN, full_scale

Floats = NDArray[np.float32]

Way = Literal["cable", "headphone"]
WAYS: dict[Way, str] = {"cable": "by loopback cable", "headphone": "headphone at a microphone"}
SECONDS = 0.25
GAP_S = 0.35
REPEATS = 5
LEVEL = 0.25
LOW_HZ, HIGH_HZ = 120.0, 9000.0
FIRST_S = 0.03
SILENT_DBFS, QUIET_SNR_DB = -75.0, 6.0
AGREE_SAMPLES = 0.5
SAME_SAMPLES = 1.0

DROPPED = (
    "The computer was too busy: parts of the test signal were lost to dropouts. Close what else runs on it, or take a "
    "larger buffer, and measure again."
)


def signal(rate_hz: int) -> Floats:
    """A sweep whose frequency grows exponentially (Farina, 2000), faded at both ends: all of its energy
    folds into one sharp peak, and its length keeps it gentle to ears and headphones."""
    count = round(SECONDS * rate_hz)
    t = np.arange(count) / rate_hz
    grow = math.log(HIGH_HZ / LOW_HZ)
    sweep = np.sin(2 * math.pi * LOW_HZ * SECONDS / grow * (np.exp(t / SECONDS * grow) - 1.0))
    fade = round(0.02 * rate_hz)
    edge = 0.5 - 0.5 * np.cos(np.pi * np.arange(fade) / fade)
    sweep[:fade] *= edge
    sweep[-fade:] *= edge[::-1]
    return np.asarray(LEVEL * sweep, np.float32)


def stride(rate_hz: int) -> int:
    """From one repetition to the next, in samples."""
    return round((SECONDS + GAP_S) * rate_hz)


@dataclass(frozen=True)
class Measured:
    """``failure`` is empty when the round trip was found; then ``samples`` is the median, ``spread`` half
    the distance of the extremes, and ``echo`` says that a stronger, later arrival was passed over."""

    failure: str
    samples: float = 0.0
    spread: float = 0.0
    inverted: bool = False
    confidence: float = 0.0
    level_dbfs: float = -200.0
    snr_db: float = 0.0
    echo: bool = False


def judge(
    played: Floats, heard: list[Floats], others: dict[int, Floats], socket: int, rate_hz: int, dropouts: int = 0
) -> Measured:
    """What the repetitions say. ``heard`` are stretches that begin where each repetition was played;
    ``others`` is what other sockets heard of the first, to tell a wrong one; ``dropouts`` is how many fell into
    them. Two repetitions of five may be lost to them."""
    top = max(float(np.abs(h).max()) for h in heard)
    level = 20.0 * math.log10(max(top, 1e-10))
    if level < SILENT_DBFS:
        elsewhere = _elsewhere(played, others)
        if elsewhere:
            text = f"Nothing came in at socket {socket}, but the signal did at socket {elsewhere}. Wrong socket?"
        else:
            text = f"No signal came in at socket {socket}. Is the cable in, is the gain up?"
        return Measured(text, level_dbfs=level)
    if any(_clipped(h) for h in heard):
        text = f"The test signal clipped at socket {socket}. Turn the gain down and measure again."
        return Measured(text, level_dbfs=level)
    found = [find_offset(played, h, len(h) - 1, 0.0, round(FIRST_S * rate_hz)) for h in heard]
    all_say = agreement(found, AGREE_SAMPLES)
    snr = min(_snr_db(heard[n], found[n].samples, len(played)) for n in all_say.near)
    if all_say.confidence < SURE:
        if dropouts:
            text = DROPPED
        else:
            why = "too quiet against the noise" if snr < QUIET_SNR_DB else "hard to tell from its echoes"
            text = f"What came in at socket {socket} is {why}: turn it up, or hold the headphone closer."
        return Measured(text, confidence=all_say.confidence, level_dbfs=level, snr_db=snr)
    echo = any(found[n].echo for n in all_say.near)
    return Measured("", all_say.samples, all_say.spread, all_say.inverted, all_say.confidence, level, snr, echo)


def _elsewhere(played: Floats, others: dict[int, Floats]) -> int:
    """The other socket at which the signal came in, or 0."""
    alive = {n: sound for n, sound in others.items() if float(np.abs(sound).max()) > 1e-4}
    found = {n: find_offset(played, sound, len(sound) - 1) for n, sound in alive.items()}
    best = max(found, key=lambda n: found[n].confidence, default=0)
    return best if best and found[best].confidence >= SURE else 0


def correction(measured_samples: float, claimed_samples: int) -> int:
    """What to add to the driver's claim, in samples: positive where the driver claims too little."""
    return round(measured_samples) - claimed_samples


def lands(measured_samples: float, claimed_samples: int, correction_samples: int) -> bool:
    """Whether a verifying pass agrees with claim and correction to within one sample."""
    return abs(measured_samples - claimed_samples - correction_samples) <= SAME_SAMPLES


def _clipped(sound: Floats) -> bool:
    over = np.abs(sound) >= full_scale(24)
    return bool((np.convolve(over.astype(int), np.ones(CLIP_RUN, int), "valid") >= CLIP_RUN).any())


def _snr_db(sound: Floats, offset: float, length: int) -> float:
    at = max(0, round(offset))
    inside, before = sound[at : at + length], sound[: max(1, at)]
    rest = np.concatenate([before, sound[at + length + length // 4 :]])
    noise = float(np.mean(np.square(rest))) if len(rest) > 100 else 1e-12
    return 10.0 * math.log10(max(float(np.mean(np.square(inside))) / max(noise, 1e-14), 1e-3))


def claim_in_words(claimed_samples: int, correction_samples: int) -> str:
    """What a driver's claim means for captured sound, as a sentence."""
    if not correction_samples:
        return f"The driver says {claimed_samples}, which is right."
    few, place = ("few", "late") if correction_samples > 0 else ("many", "early")
    off = abs(correction_samples)
    return f"The driver says {claimed_samples}: {off} too {few}. Captured sound would lie {off} samples {place}."

"""The gain that brings a piece to a peak or a loudness, and what becomes of its noise."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cattailer.core.comps.comppiece import HIGHEST_GAIN_DB, LOWEST_GAIN_DB
from cattailer.core.errors import Refusal
from cattailer.core.sound.loudness import Loudness, lufs
from cattailer.core.sound.noisefloor import LevelSpread
from cattailer.core.units import amplitude, decibels

PEAK, LOUDNESS = "peak", "loudness"
AIMS = {PEAK: "peak, dBFS", LOUDNESS: "loudness, LUFS"}
HEARD_DBFS = -66.0
"""Noise from here on is heard in the gaps of a quiet passage, at the level at which people listen."""


@dataclass(frozen=True)
class PieceLevel:
    """Of a piece as it was captured: ``noise_dbfs`` is the RMS of its gaps, -inf where there are none."""

    peak_dbfs: float
    loudness_lufs: float
    noise_dbfs: float


def measured(sound: NDArray[np.float32], rate_hz: int) -> PieceLevel:
    """Of sound of shape (channels, samples)."""
    peak = decibels(float(np.abs(sound).max(initial=0.0)))
    loud, spread = Loudness(len(sound), rate_hz), LevelSpread(len(sound), rate_hz)
    loud.add(sound)
    spread.add(sound)
    level = loud.integrated_lufs
    if not math.isfinite(level) and sound.size:
        level = lufs(float((sound.astype(np.float64) ** 2).mean(axis=1).sum()))
    return PieceLevel(peak, level, float(np.max(spread.floor_dbfs())))


UNDER_DB, NEAR_DB, MOST_ROUNDS = 1e-6, 1e-4, 4
"""A piece is brought that little below what was asked, and at least that near: never above it, however its samples are
rounded."""


def gain_to(aim: str, level: float, of: PieceLevel) -> float:
    """In dB, exactly. Raises Refusal for an aim that does not exist, for silence, and beyond what a piece can have."""
    if aim not in AIMS or not -80.0 <= level <= 0.0:
        raise Refusal("A piece is brought to a peak or a loudness between −80 and 0. Nothing was changed.")
    now = of.peak_dbfs if aim == PEAK else of.loudness_lufs
    if not now > -120.0:
        raise Refusal("This piece is silent, so no gain brings it anywhere. Nothing was changed.")
    gain = level - now - UNDER_DB
    if not LOWEST_GAIN_DB <= gain <= HIGHEST_GAIN_DB:
        most = f"a piece has at most +{HIGHEST_GAIN_DB:.0f}"
        raise Refusal(f"That would take {gain:+.1f} dB, and {most}. Nothing was changed.".replace("-", "−"))
    return gain


def brought(aim: str, level: float, sound: NDArray[np.float32], rate_hz: int) -> tuple[float, PieceLevel]:
    """The gain in dB that brings sound of shape (channels, samples) to a level, measured again at that gain, and what
    it was before: quiet stretches may begin to count in its loudness. Raises Refusal as ``gain_to`` does."""
    of = measured(sound, rate_hz)
    gain = gain_to(aim, level, of)
    for _ in range(MOST_ROUNDS):
        again = measured((sound * amplitude(gain)).astype(np.float32), rate_hz)
        over = (again.peak_dbfs if aim == PEAK else again.loudness_lufs) - level
        if -NEAR_DB < over <= 0.0:
            break
        gain -= over + UNDER_DB
    return gain, of


def words(gain_db: float, of: PieceLevel) -> str:
    """What a gain does to peak and noise."""
    peak, noise = of.peak_dbfs + gain_db, of.noise_dbfs + gain_db
    said = [f"peak {peak:+.1f} dBFS"]
    if peak > 0.0:
        said[0] += ", over full scale: it will clip where it is written"
    if math.isfinite(noise) and noise > -150.0:
        comes = f"comes up by {gain_db:.1f} dB to" if gain_db > 0 else "is at"
        heard = "it will be heard in quiet places" if noise > HEARD_DBFS else "it will not be heard"
        said.append(f"noise {comes} {noise:.0f} dBFS, {heard}")
    return "; ".join(said).replace("-", "−")

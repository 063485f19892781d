"""The spoken count: a voice for the beats, cut so that each word begins where its beat stands."""

import math
from functools import lru_cache
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray
from scipy.signal import resample_poly

Floats = NDArray[np.float32]
FOLDER = Path(__file__).parent / "voice"
WORDS = ("one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve")
_FADE_S = 0.02


@lru_cache(maxsize=4)
def words(rate_hz: int, longest: int) -> list[Floats]:
    """The numbers from one at a rate, none longer than ``longest`` samples (a beat), so that they do not overlap."""
    return [_fitted(number, rate_hz, longest) for number in range(1, len(WORDS) + 1)]


def _fitted(number: int, rate_hz: int, longest: int) -> Floats:
    sound, made_at = soundfile.read(FOLDER / f"{number}.flac", dtype="float64")
    shared = math.gcd(rate_hz, made_at)
    word = resample_poly(sound, rate_hz // shared, made_at // shared)[:longest]
    fade = min(len(word), round(_FADE_S * rate_hz))
    word[len(word) - fade :] *= np.linspace(1.0, 0.0, fade)
    return np.asarray(word, np.float32)

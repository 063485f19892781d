"""Gains on the way of a signal: pans."""

import math
from functools import lru_cache

Sides = tuple[tuple[float, float], ...]
STRAIGHT: Sides = ((1.0, 0.0), (0.0, 1.0))
"""A pair as it is."""


@lru_cache(maxsize=4096)
def pan_gains(pan: float, channels: int, width_percent: float = 100.0, balance_db: float = 0.0) -> Sides:
    """(left, right) gain of each channel of a track; ``pan`` from -1 to 1.

    Sine-cosine law: wherever a channel stands its power is the same, 3 dB down on both sides in the middle. The sides
    of a pair are panned each: as far from the middle of the pair as its width says, and so far as there is room. At
    100 % and in the middle they are as they came, at 0 % they stand at one place. The balance is how much louder the
    right side is than the left; the power of both together stays.
    """
    if channels == 1:
        return (_placed(pan),)
    if (pan, width_percent, balance_db) == (0.0, 100.0, 0.0):
        return STRAIGHT
    pan = min(1.0, max(-1.0, pan))
    apart = width_percent / 100.0 * (1.0 - abs(pan))
    angle = math.atan(10.0 ** (balance_db / 20.0))
    both = math.sqrt(2.0)
    return _placed(pan - apart, both * math.cos(angle)), _placed(pan + apart, both * math.sin(angle))


def _placed(pan: float, level: float = 1.0) -> tuple[float, float]:
    angle = (min(1.0, max(-1.0, pan)) + 1.0) * math.pi / 4.0
    return level * math.cos(angle), level * math.sin(angle)

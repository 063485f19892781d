"""Gains on the way of a signal: pans."""

import math
from functools import lru_cache

Sides = tuple[tuple[float, float], ...]
STRAIGHT: Sides = ((1.0, 0.0), (0.0, 1.0))
"""A pair as it is."""


@lru_cache(maxsize=4096)
def pan_gains(pan: float, channels: int) -> Sides:
    """(left, right) gain of each channel of a track; ``pan`` from -1 to 1.

    Mono: sine-cosine law, 3 dB down in the middle. A pair keeps its sides, and panning turns the far side down.
    """
    angle = (min(1.0, max(-1.0, pan)) + 1.0) * math.pi / 4.0
    left, right = math.cos(angle), math.sin(angle)
    if channels == 1:
        return ((left, right),)
    return (min(1.0, left * math.sqrt(2.0)), 0.0), (0.0, min(1.0, right * math.sqrt(2.0)))

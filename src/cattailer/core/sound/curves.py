"""Curves along which gains move, so that nothing steps."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]


@lru_cache(maxsize=32)
def rising(samples: int) -> Floats:
    """From 0 to 1 along half a cosine, whose slope is 0 at both ends. Shape (samples,)."""
    made = (0.5 - 0.5 * np.cos(np.pi * (np.arange(samples) + 0.5) / samples)).astype(np.float32)
    made.setflags(write=False)
    return made

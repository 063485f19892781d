"""The shapes along which a piece fades in and out."""

import numpy as np
from numpy.typing import NDArray

LINEAR, POWER, EXPONENTIAL, S_CURVE = "linear", "power", "exponential", "s-curve"
SHAPES = {
    LINEAR: "linear", POWER: "equal power", EXPONENTIAL: "exponential", S_CURVE: "S-curve",
}
"""Each with its words. The gains of two S-curves, or of two lines, that cross add up to 1; of two that keep equal power
the squares do."""
STEEPNESS = 5.0
"""How many nepers an exponential fade spans."""


def rising(shape: str, samples: int, first: int = 0, stop: int | None = None) -> NDArray[np.float64]:
    """Gains from 0 to 1 over ``samples``, of which those in [first, stop) are wanted; 0 before it begins and 1 after
    its end. Raises KeyError for a shape that does not exist."""
    at = np.arange(first, samples if stop is None else stop)
    x = np.clip((at + 0.5) / max(1, samples), 0.0, 1.0)
    gains: NDArray[np.float64] = _CURVES[shape](x)
    gains[at < 0] = 0.0
    gains[at >= samples] = 1.0
    return gains


def falling(shape: str, samples: int, first: int = 0, stop: int | None = None) -> NDArray[np.float64]:
    """The way back: what ``rising`` gives, from its end to its beginning."""
    last = samples if stop is None else stop
    return rising(shape, samples, samples - last, samples - first)[::-1]


_CURVES = {
    LINEAR: lambda x: x.copy(),
    POWER: lambda x: np.sin(0.5 * np.pi * x),
    EXPONENTIAL: lambda x: np.expm1(STEEPNESS * x) / np.expm1(STEEPNESS),
    S_CURVE: lambda x: 0.5 - 0.5 * np.cos(np.pi * x),
}

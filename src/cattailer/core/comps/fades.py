"""The shapes along which a piece fades in and out."""

import numpy as np
from numpy.typing import NDArray

LINEAR, POWER, EXPONENTIAL, S_CURVE = "linear", "power", "exponential", "s-curve"
SHAPES = {
    LINEAR: "linear", POWER: "equal power", EXPONENTIAL: "exponential", S_CURVE: "S-curve",
}
"""Each with its words."""
STEEPNESS = 5.0
"""How many nepers an exponential fade spans."""
OPPOSED = -0.5
"""Below this correlation two sides cancel: to keep their power, gains would have to go above 1."""


def rising(
    shape: str, samples: int, first: int = 0, stop: int | None = None, alike: float | None = None
) -> NDArray[np.float64]:
    """Gains from 0 to 1 over ``samples``, of which those in [first, stop) are wanted; 0 before it begins and 1 after
    its end. Raises KeyError for a shape that does not exist.

    ``alike`` is the correlation r with what falls meanwhile, None where nothing does. Both gains are divided by
    sqrt(a² + b² + 2rab) then, so that the power of the two stays that of one: equal gain where both are one sound,
    equal power where they have nothing in common, whatever the shape.
    """
    at = np.arange(first, samples if stop is None else stop)
    x = np.clip((at + 0.5) / max(1, samples), 0.0, 1.0)
    gains: NDArray[np.float64] = _CURVES[shape](x)
    if alike is not None:
        other = _CURVES[shape](1.0 - x)
        gains /= np.sqrt(gains * gains + other * other + 2.0 * max(alike, OPPOSED) * gains * other)
    gains[at < 0] = 0.0
    gains[at >= samples] = 1.0
    return gains


def falling(
    shape: str, samples: int, first: int = 0, stop: int | None = None, alike: float | None = None
) -> NDArray[np.float64]:
    """The way back: what ``rising`` gives, from its end to its beginning."""
    last = samples if stop is None else stop
    return rising(shape, samples, samples - last, samples - first, alike)[::-1]


_CURVES = {
    LINEAR: lambda x: x.copy(),
    POWER: lambda x: np.sin(0.5 * np.pi * x),
    EXPONENTIAL: lambda x: np.expm1(STEEPNESS * x) / np.expm1(STEEPNESS),
    S_CURVE: lambda x: 0.5 - 0.5 * np.cos(np.pi * x),
}

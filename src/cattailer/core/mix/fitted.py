"""Second-order sections that follow their analogue prototypes up to the top of what is heard.

A bilinear transform squeezes all frequencies into half the rate, so that near it a peak becomes too narrow and a shelf
too steep. Here poles come from impulse invariance and the numerator from three gains that it has to meet (M. Vicanek,
"Matched second order digital filters", 2016; S. J. Orfanidis, "Digital parametric equalizer design with prescribed
Nyquist-frequency gain", 1997); where that is not near enough, a least-squares fit takes over. It works on squared
gains, which are a ratio of two sums linear in what is looked for, and weighs each round by the denominator of the one
before (C. Sanathanan, J. Koerner, 1963), and more what is still far off (C. L. Lawson, 1961).
"""

import math
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

PEAK, LOW_SHELF, HIGH_SHELF = "peak", "low shelf", "high shelf"
Doubles = NDArray[np.float64]
Three = tuple[float, float, float]
_SLOPE_Q = math.sqrt(0.5)
_NEAR_DB, _FAR_DB = 0.02, 0.1
"""A closed form this near is taken; a fit this near is good enough."""
_ROUNDS, _POINTS = 12, 120
_TOP_HZ, _HIGHEST_HZ, _BEYOND = 18_000.0, 20_000.0, 0.05
"""Up to the first all counts, from there to the second less and less, and what is beyond hardly."""


def prototype(kind: str, db: float, q: float) -> tuple[Three, Three]:
    """Numerator and denominator in falling powers of s, for 1 radian per second; shelves have a slope of 1 and no
    ``q`` (R. Bristow-Johnson, "Cookbook formulae for audio equalizer biquad filter coefficients", W3C note)."""
    a = 10.0 ** (db / 40.0)
    slope = math.sqrt(a) / _SLOPE_Q
    if kind == PEAK:
        return (1.0, a / q, 1.0), (1.0, 1.0 / (a * q), 1.0)
    if kind == LOW_SHELF:
        return (a, a * slope, a * a), (a, slope, 1.0)
    return (a * a, a * slope, a), (1.0, slope, a)


@lru_cache(maxsize=4096)
def section(kind: str, hz: float, db: float, q: float, rate_hz: int) -> tuple[float, float, float, float, float]:
    """b0, b1, b2, a1, a2, with all poles and zeros inside the circle. A cut is the boost turned round."""
    (b0, b1, b2), (a0, a1, a2) = _boost(kind, hz, abs(db), q, rate_hz)
    if db < 0.0:
        b0, b1, b2, a0, a1, a2 = a0, a1, a2, b0, b1, b2
    return b0 / a0, b1 / a0, b2 / a0, a1 / a0, a2 / a0


def _boost(kind: str, hz: float, db: float, q: float, rate_hz: int) -> tuple[Three, Three]:
    above, below = prototype(kind, db, q)
    half = rate_hz / 2.0
    poles = _poles(below, hz, rate_hz)
    denominator = np.array([(1.0 + poles[1] + poles[2]) ** 2, (1.0 - poles[1] + poles[2]) ** 2, -4.0 * poles[2]])
    met = np.array([0.0, min(hz, 0.9 * half), half])
    basis = _basis(met, rate_hz)
    numerator = np.linalg.solve(basis.T, _squared(above, below, met / hz) * (denominator @ basis))

    at = np.concatenate([np.geomspace(max(20.0, hz / 30.0), half, _POINTS), np.linspace(0.02, 0.999, _POINTS) * half])
    falling = 1.0 / (1.0 + np.maximum(at - _TOP_HZ, 0.0) / 1000.0)
    weight = np.where(at > _HIGHEST_HZ, _BEYOND, falling)
    wanted, basis = _squared(above, below, at / hz), _basis(at, rate_hz)

    def off(over: NDArray[Any], under: NDArray[Any]) -> Doubles:
        """In dB, weighted; where there is no such filter, too much."""
        top, bottom = over @ basis, under @ basis
        if top.min() <= 0.0 or bottom.min() <= 0.0:
            return np.full(len(at), np.inf)
        made: Doubles = weight * np.abs(10.0 * np.log10(top / (bottom * wanted)))
        return made

    best, least = (numerator, denominator), float(off(numerator, denominator).max())
    if least < _NEAR_DB:
        return _factor(numerator), poles
    emphasis = weight
    for _ in range(_ROUNDS):
        under = denominator @ basis
        rows = np.concatenate([basis / (wanted * under), -basis[1:] / under]) * emphasis
        scale = np.linalg.norm(rows, axis=1)
        found = np.linalg.lstsq((rows / scale[:, None]).T, basis[0] / under * emphasis, rcond=None)[0] / scale
        numerator, denominator = found[:3], np.array([1.0, found[3], found[4]])
        left = off(numerator, denominator)
        if not np.isfinite(left).all():
            break
        if (worst := float(left.max())) < least:
            best, least = (numerator, denominator), worst
        if least < _FAR_DB:
            break
        emphasis = emphasis * np.sqrt((left + 1e-3) / (left.mean() + 1e-3))
    return _factor(best[0]), _factor(best[1])


def _poles(below: Three, hz: float, rate_hz: int) -> Three:
    """1, a1, a2 of the prototype's poles, by impulse invariance."""
    two, one, none = below
    own = 2.0 * math.pi * hz / rate_hz * math.sqrt(none / two)
    damping = one / (2.0 * math.sqrt(none * two))
    away = math.sqrt(abs(1.0 - damping * damping)) * own
    turn = math.cos(away) if damping <= 1.0 else math.cosh(away)
    return 1.0, -2.0 * math.exp(-damping * own) * turn, math.exp(-2.0 * damping * own)


def _squared(above: Three, below: Three, at: Doubles) -> Doubles:
    """The prototype's squared gain at so many times its frequency."""
    square = at * at
    over, under = (((c - a * square) ** 2 + b * b * square) for a, b, c in (above, below))
    out: Doubles = over / under
    return out


def _basis(at_hz: Doubles, rate_hz: int) -> Doubles:
    """What squared gains are sums of, shape (3, frequencies)."""
    part = np.sin(np.pi * at_hz / rate_hz) ** 2
    return np.stack([1.0 - part, part, 4.0 * part * (1.0 - part)])


def _factor(squared: NDArray[Any]) -> Three:
    """The polynomial with these squared gains whose roots are inside the circle."""
    first, second = math.sqrt(max(squared[0], 0.0)), math.sqrt(max(squared[1], 0.0))
    half = 0.5 * (first + second)
    leading = 0.5 * (half + math.sqrt(max(half * half + squared[2], 0.0)))
    return leading, 0.5 * (first - second), -float(squared[2]) / (4.0 * leading)

"""How players play who hear themselves late, or not at all, or no click.

Up to about 8 ms nobody minds: it is less than three metres of air. Beyond that people wait for what they hear, so they
drag, and they are less sure of the beat, so they scatter. Studies of playing with delay (Chafe and Gurevich, "Network
time delay and ensemble accuracy", AES 117, 2004; Bartlette et al., "Effect of network latency on interactive musical
performance", Music Perception 24, 2006) find that tempo begins to sag a little above 10 ms, roughly in step with the
delay, and that the spread of onsets grows with it. The model is the plainest that does so: with e = late - 8 ms,

    drag = 0.35 e, at most 30 ms        scatter = 6 ms (1 + e / 20 ms), at most 24 ms

Who wears headphones and does not hear themselves in them feels for the beat and for how loud they are: twice the
scatter, and notes of uneven force. Who has no click in them wanders slowly about the beat, by up to ``WANDER_MS``.
"""

import math

FREE_MS = 8.0
DRAG_SHARE, MOST_DRAG_MS = 0.35, 30.0
SCATTER_MS, DOUBLED_BY_MS, MOST_SCATTER_MS = 6.0, 20.0, 24.0
UNHEARD = 2.0
FORCE, FORCE_UNHEARD = 0.08, 0.2
"""The standard deviation of how hard notes are played."""
WANDER_MS, WANDERS_IN = 35.0, (37.0, 17.0)
"""In so many quarters it goes there and back."""
WIDEST = 3.0
"""Nobody is further off than three times their scatter."""


def drag_ms(late_ms: float) -> float:
    """How much later than meant notes begin, on average."""
    return min(MOST_DRAG_MS, DRAG_SHARE * max(0.0, late_ms - FREE_MS))


def scatter_ms(late_ms: float, unheard: bool = False) -> float:
    """The standard deviation of the beginnings of notes."""
    plain = SCATTER_MS * (1.0 + max(0.0, late_ms - FREE_MS) / DOUBLED_BY_MS)
    return min(MOST_SCATTER_MS, plain * (UNHEARD if unheard else 1.0))


def wander_ms(quarter: float, seed: int) -> float:
    """How far off the beat somebody is there who has no click; another way for each seed."""
    long, short = (2 * math.pi * quarter / period for period in WANDERS_IN)
    return WANDER_MS * (0.6 * math.sin(long + seed % 7) + 0.4 * math.sin(short + seed % 11))

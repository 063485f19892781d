"""How players play who hear themselves late.

Up to about 8 ms nobody minds: it is less than three metres of air. Beyond that people wait for what they hear, so they
drag, and they are less sure of the beat, so they scatter. Studies of playing with delay (Chafe and Gurevich, "Network
time delay and ensemble accuracy", AES 117, 2004; Bartlette et al., "Effect of network latency on interactive musical
performance", Music Perception 24, 2006) find that tempo begins to sag a little above 10 ms, roughly in step with the
delay, and that the spread of onsets grows with it. The model is the plainest that does so: with e = late - 8 ms,

    drag = 0.35 e, at most 30 ms        scatter = 6 ms (1 + e / 20 ms), at most 24 ms
"""

FREE_MS = 8.0
DRAG_SHARE, MOST_DRAG_MS = 0.35, 30.0
SCATTER_MS, DOUBLED_BY_MS, MOST_SCATTER_MS = 6.0, 20.0, 24.0
WIDEST = 3.0
"""Nobody is further off than three times their scatter."""


def drag_ms(late_ms: float) -> float:
    """How much later than meant notes begin, on average."""
    return min(MOST_DRAG_MS, DRAG_SHARE * max(0.0, late_ms - FREE_MS))


def scatter_ms(late_ms: float) -> float:
    """The standard deviation of the beginnings of notes."""
    return min(MOST_SCATTER_MS, SCATTER_MS * (1.0 + max(0.0, late_ms - FREE_MS) / DOUBLED_BY_MS))

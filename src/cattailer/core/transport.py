"""The states of the transport, and which of them count as what."""

STOPPED, COUNTING, ROLLING, CAPTURING = "stopped", "counting", "rolling", "capturing"
WAITING = "waiting"
"""Capture was pressed, and the timeline stands until something comes: sound, a second press, the end of a pause."""
PRE_ROLL, POST_ROLL = "pre-roll", "post-roll"
"""The timeline moves before or after what is captured, or between two stretches of it."""
STATES = (STOPPED, COUNTING, ROLLING, CAPTURING, WAITING, PRE_ROLL, POST_ROLL)
_STILL = (STOPPED, WAITING)


def captures(state: str) -> bool:
    """Whether a capture runs, is about to, or is not over yet."""
    return state not in (STOPPED, ROLLING)


def moves(state: str) -> bool:
    """Whether the timeline moves."""
    return state not in _STILL


def plays(state: str) -> bool:
    """Whether what lies on the timeline is played; not while it is counted in."""
    return state not in _STILL and state != COUNTING

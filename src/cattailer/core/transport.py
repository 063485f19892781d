"""The states of the transport, and which of them count as what."""

STOPPED, COUNTING, ROLLING, CAPTURING = "stopped", "counting", "rolling", "capturing"
STATES = (STOPPED, COUNTING, ROLLING, CAPTURING)


def captures(state: str) -> bool:
    """Whether a capture runs, or is about to: it is counted in."""
    return state in (CAPTURING, COUNTING)


def moves(state: str) -> bool:
    """Whether the timeline moves."""
    return state != STOPPED

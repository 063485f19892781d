"""The stages of a session in the order of work; their numbers are their keys."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Stage:
    """``key`` names it in addresses and code, ``number`` is the key that goes there."""

    number: int
    key: str
    name: str


STAGES = (
    Stage(1, "patch", "Patch"), Stage(2, "levels", "Levels"), Stage(3, "timing", "Timing"),
    Stage(4, "listen", "Listen"), Stage(5, "capture", "Capture"), Stage(6, "takes", "Takes"),
)
"""Those that are built; the numbers of the others are kept for them."""

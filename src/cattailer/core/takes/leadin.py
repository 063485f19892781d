"""How much of what was counted in is heard before a take."""

from typing import Literal

Opening = Literal["hidden", "beat", "all"]
OPENINGS: dict[Opening, tuple[str, str]] = {
    "hidden": ("hidden", "nothing"), "beat": ("a beat", "the last beat"), "all": ("all", "all that was counted in"),
}
"""Each with its word in a choice, and in a sentence."""


def opening(samples: int, lead_in_samples: int) -> Opening:
    """Which it is when the last ``samples`` of a lead-in are heard."""
    return "hidden" if not samples else "all" if samples >= lead_in_samples else "beat"


def samples_of(how: Opening, beat_samples: int, lead_in_samples: int) -> int:
    """How many samples are heard then."""
    return {"hidden": 0, "beat": min(beat_samples, lead_in_samples), "all": lead_in_samples}[how]

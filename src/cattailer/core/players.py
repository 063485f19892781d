"""What the stand-in's players can be asked to do."""

from typing import Literal

Mode = Literal["follow", "perform", "check", "rest"]
MODES: dict[Mode, tuple[str, str]] = {
    "follow": ("Follow", "Play with the timeline; run through softly while it stands still"),
    "perform": ("Play", "Play as in performance, no matter what the timeline does"),
    "check": ("Check", "Give a level check, softer than they play"),
    "rest": ("Rest", "Be silent"),
}
"""Each with its word and what it means."""

BUSY = ("off", "a little", "very")
"""How busy something else keeps the stand-in's computer."""

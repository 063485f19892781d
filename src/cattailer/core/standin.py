"""What the stand-in's room and players can be asked to do, and what its panel shows."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

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


@dataclass(frozen=True)
class Loopback:
    """What an output plays arrives at a socket again (both as printed): by "cable" or by "headphone"."""

    output: int
    socket: int
    way: str


@dataclass(frozen=True)
class HeardAt:
    """What comes out of the two ``outputs`` (from 0) of a mix while a capture runs: the sockets (from 1) that are heard
    by way of the engine, and inside the interface, and whether there is a click."""

    outputs: tuple[int, ...]
    through: frozenset[int]
    direct: frozenset[int] = frozenset()
    click: bool = False


@dataclass(frozen=True)
class Standing:
    """What is plugged into a socket: a ``player``, or "room", and how they are picked up."""

    player: str
    pickup: str


@dataclass(frozen=True)
class RoomState:
    """The panel. ``players`` maps names to modes, ``loud_db`` says how much louder they play than usual; ``plugged``,
    ``hums_dbu``, ``knobs_db`` and ``standing`` are by socket, ``bare`` names what lost its screen or DI. ``worn`` says
    by player which output (as printed, the first of two) their headphones are plugged into. The driver leaves
    ``unreported_samples`` out of the round trip that it claims."""

    players: dict[str, str] = field(default_factory=dict)
    loud_db: dict[str, float] = field(default_factory=dict)
    plugged: dict[int, str] = field(default_factory=dict)
    hums_dbu: dict[int, float] = field(default_factory=dict)
    knobs_db: dict[int, float] = field(default_factory=dict)
    bare: list[str] = field(default_factory=list)
    loopbacks: list[Loopback] = field(default_factory=list)
    unreported_samples: int = 0
    busy: str = "off"
    standing: dict[int, Standing] = field(default_factory=dict)
    worn: dict[str, int] = field(default_factory=dict)


Request = tuple[str, dict[str, Any]]
"""What the panel was asked to do: the command and its arguments."""
_CABLES = ("plug", "swap", "stand", "rig")
_ONE_EACH = {
    "hum": ("socket",), "loud": ("player",), "turn": ("socket",), "loop": ("socket",), "claim": (),
    "rig": ("name", "what"),
}
"""A later request takes the place of an earlier one with the same values of these."""
MAX_REQUESTS = 500


def arranged(before: Sequence[Request], command: str, arguments: Mapping[str, Any]) -> list[Request]:
    """The requests that set the room up as it is after one more: what a later one undoes or repeats is left out."""
    now = (command, dict(arguments))
    if command in ("plug", "put_back"):
        kept = [r for r in before if r[0] not in _CABLES]
        return kept if command == "put_back" else [*kept, now]
    if command == "wear":
        worn: dict[str, Any] = {}
        for _, earlier in [r for r in before if r[0] == "wear"]:
            worn |= earlier["worn"]
        return [*(r for r in before if r[0] != "wear"), ("wear", {"worn": worn | now[1]["worn"]})]
    if command == "swap" and before and before[-1] == now:
        return list(before[:-1])
    if command in _ONE_EACH:
        alike = _ONE_EACH[command]
        before = [
            r for r in before if r[0] != command or any(r[1].get(name) != now[1].get(name) for name in alike)
        ]
    return [*before, now][-MAX_REQUESTS:]

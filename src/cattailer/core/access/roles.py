"""What devices are for, and what each may."""

from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum


class Role(StrEnum):
    ENGINEER = "engineer"
    ASSISTANT = "assistant"
    PLAYER = "player"


ROLE_WORDS = {
    Role.ENGINEER: ("Engineer", "everything"),
    Role.ASSISTANT: ("Assistant", "marks and notes; reads levels, hears mixes, touches nothing else"),
    Role.PLAYER: ("Player", "one cue mix: hears it and sets it, nothing else"),
}


@dataclass(frozen=True)
class Device:
    """What came in by a key. ``mix`` is the name of a player's cue mix; a session that has none of that name has
    nothing for this device. ``id`` 0 is a browser on this machine, which needs no key."""

    id: int
    name: str
    role: Role
    mix: str = ""
    address: str = ""
    seen_at: datetime | None = None


THIS_MACHINE = Device(0, "This machine", Role.ENGINEER)

"""What one device may ask, and is told, over the line of its page."""

from collections.abc import Mapping, Set
from dataclasses import dataclass
from typing import Any

from cattailer.core.access.roles import THIS_MACHINE, Device, Role
from cattailer.core.patch.patch import PatchMix

CONTROLS = frozenset({"move", "step", "settle", "keys"})
"""Wishes that change what is heard."""
PLAYER_ASKS = frozenset({"listen", "move", "settle", "calm", "ack"})
PLAYER_TOPICS = frozenset({"frame", "revision", "settled", "problem", "elsewhere", "beat"})
PLAYER_FRAME = frozenset({"topic", "t", "session", "title", "revision", "rate", "state", "where"})
"""Of a frame, what a player's page shows: whether it runs, and where. Levels and takes are others' business, and thirty
times a second they are what a phone's network is full of."""

READS_ONLY = "An assistant's page reads levels and hears mixes. Controls are the engineer's; nothing was moved."
OWN_MIX_ONLY = "This page opens one mix, its own. Nothing was done."


@dataclass(frozen=True)
class Rights:
    """``own`` is a player's mix in the session that is open; None for everybody else."""

    device: Device = THIS_MACHINE
    own: PatchMix | None = None

    @property
    def whole(self) -> bool:
        """Whether everything is told."""
        return self.device.role is not Role.PLAYER

    def refuses(self, asked: Set[str], listened: int, targets: Set[str]) -> str:
        """Why these wishes are not granted, or nothing. ``listened`` is a mix's number, 0 for none; ``targets`` are
        the keys of mixes in which something would move."""
        if self.device.role is Role.ASSISTANT and asked & CONTROLS:
            return READS_ONLY
        if self.device.role is not Role.PLAYER:
            return ""
        mine = self.own is not None and listened in (0, self.own.id) and targets <= {self.own.key}
        return "" if mine and asked <= PLAYER_ASKS else OWN_MIX_ONLY

    def told(self, message: Mapping[str, Any]) -> Mapping[str, Any] | None:
        """What of a message this device is told; None for nothing."""
        if self.whole:
            return message
        if message["topic"] not in PLAYER_TOPICS:
            return None
        return {k: v for k, v in message.items() if k in PLAYER_FRAME} if message["topic"] == "frame" else message


EVERYTHING = Rights()

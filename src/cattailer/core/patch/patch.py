"""The patch: what is plugged where, which tracks there are, and where everything goes.

Ends of routes have keys: ``in:3`` (a socket as printed), ``soft:beat`` (a software source),
``track:12``, ``group:4``, ``mix:1`` and ``out:7`` (a pair, by its first). A feed names one channel of an end: ``in:3``,
``soft:beat:L``, ``group:4:R``; an empty feed feeds nothing.
"""

from dataclasses import asdict, dataclass, replace
from typing import Any

from cattailer.core.errors import Refusal
from cattailer.core.gear.interface import Profile

SOFTWARE = ("beat", "bass", "pad")
SIDES = ("L", "R")
PICKUPS = ("condenser", "dynamic", "ribbon", "DI", "line", "instrument", "software")
COLOURS = ("", "water", "reed", "ochre", "cattail", "heather", "slate", "rose")
ICONS = ("", "voice", "strings", "wind", "drum", "keys", "room", "line")


@dataclass(frozen=True)
class PatchInput:
    """A socket: what is plugged, how it is picked up and placed, and its preamp."""

    socket: int
    label: str = ""
    source: str = ""
    pickup: str = ""
    technique: str = ""
    distance: str = ""
    aim: str = ""
    note: str = ""
    gain_db: float = 0.0
    phantom: bool = False
    pad: bool = False
    low_cut: bool = False
    polarity: bool = False
    instrument: bool = False
    soft_limit: bool = False
    checked: bool = False

    @property
    def name(self) -> str:
        return self.label or self.source

    @property
    def used(self) -> bool:
        return bool(self.label or self.source or self.pickup)

    @property
    def placement(self) -> str:
        return " · ".join(filter(None, (self.technique, self.distance, self.aim)))


@dataclass(frozen=True)
class PatchTrack:
    """A track; ``feeds`` has one entry for mono, two for a pair. ``takes`` counts what it holds, ``window`` is its
    own target window where it differs from the session's."""

    id: int
    name: str
    feeds: tuple[str, ...]
    armed: bool = False
    fader_db: float = 0.0
    pan: float = 0.0
    colour: str = ""
    icon: str = ""
    note: str = ""
    takes: int = 0
    window: tuple[float, ...] = ()

    @property
    def key(self) -> str:
        return f"track:{self.id}"

    @property
    def pair(self) -> bool:
        return len(self.feeds) == 2


@dataclass(frozen=True)
class PatchGroup:
    id: int
    name: str
    fader_db: float = 0.0

    @property
    def key(self) -> str:
        return f"group:{self.id}"


@dataclass(frozen=True)
class PatchMix:
    """The main mix or a cue mix; ``outputs`` as printed, two or none."""

    id: int
    name: str
    kind: str = "cue"
    outputs: tuple[int, ...] = ()
    fader_db: float = -6.0

    @property
    def key(self) -> str:
        return f"mix:{self.id}"


@dataclass(frozen=True)
class Patch:
    """The whole patch. ``routes`` are (from, to) keys: tracks and groups into groups and mixes."""

    inputs: tuple[PatchInput, ...] = ()
    tracks: tuple[PatchTrack, ...] = ()
    groups: tuple[PatchGroup, ...] = ()
    mixes: tuple[PatchMix, ...] = ()
    routes: tuple[tuple[str, str], ...] = ()

    def input(self, socket: int) -> PatchInput | None:
        return next((i for i in self.inputs if i.socket == socket), None)

    def main(self) -> PatchMix | None:
        return next((m for m in self.mixes if m.kind == "main"), None)

    def to_dict(self) -> dict[str, Any]:
        return asdict(self)

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> "Patch":
        """Raises KeyError or TypeError when ``data`` is no patch."""
        return cls(
            tuple(PatchInput(**i) for i in data["inputs"]),
            tuple(_track(t) for t in data["tracks"]),
            tuple(PatchGroup(**g) for g in data["groups"]),
            tuple(PatchMix(**{**m, "outputs": tuple(m["outputs"])}) for m in data["mixes"]),
            tuple((a, b) for a, b in data["routes"]),
        )

    def bare(self) -> "Patch":
        """The same without what belongs to one occasion: nothing armed, nothing checked, no takes."""
        return replace(
            self, inputs=tuple(replace(i, checked=False) for i in self.inputs),
            tracks=tuple(replace(t, armed=False, takes=0) for t in self.tracks),
        )


def _track(data: dict[str, Any]) -> PatchTrack:
    return PatchTrack(**{**data, "feeds": tuple(data["feeds"]), "window": tuple(data.get("window", ()))})


def end_of(feed: str) -> str:
    """The end that a feed is a channel of: ``soft:beat:L`` is one of ``soft:beat``."""
    return feed[:-2] if feed.endswith((":L", ":R")) else feed


def side_of(feed: str) -> int:
    return 1 if feed.endswith(":R") else 0


def socket_of(feed: str) -> int | None:
    """The socket of a hardware feed, else None."""
    return int(feed[3:]) if feed.startswith("in:") else None


def check_feed(feed: str, profile: Profile, groups: set[int]) -> str:
    """The feed as it is written. Raises Refusal for one that cannot be."""
    kind, _, rest = feed.partition(":")
    if not feed:
        return feed
    if kind == "in" and rest.isdecimal() and len(rest) < 5:
        return f"in:{profile.socket(int(rest)).number}"
    name, _, side = rest.partition(":")
    if side in SIDES and kind == "soft" and name in SOFTWARE:
        return feed
    if side in SIDES and kind == "group" and name.isdecimal() and int(name) in groups:
        return feed
    raise Refusal(f"There is no source called {feed[:40]!r} here, so nothing was changed.")


def pair_from(feed: str, profile: Profile) -> tuple[str, str]:
    """The two feeds of a pair that begins at ``feed``: the next socket, or both sides.

    Raises Refusal when the last socket has no neighbour.
    """
    socket = socket_of(feed)
    if socket is None:
        end = end_of(feed)
        return (f"{end}:L", f"{end}:R") if feed else ("", "")
    if socket >= profile.inputs:
        raise Refusal(f"Socket {socket} is the last one, so a pair cannot begin there. Choose the one before it.")
    return f"in:{socket}", f"in:{socket + 1}"


def in_words(feeds: tuple[str, ...], groups: dict[int, str]) -> str:
    """Feeds as shown: ``3``, ``1+2`` (pairs always name both sockets), ``Beat``, ``group Strings``."""
    parts = []
    for feed in feeds:
        socket = socket_of(feed)
        end = end_of(feed)
        if socket is not None:
            parts.append(str(socket))
        elif not feed:
            parts.append("–")
        elif end.startswith("soft:"):
            parts.append(end[5:].capitalize())
        else:
            parts.append(f"group {groups.get(int(end[6:]), '?')}")
    if len(parts) == 2 and (not parts[0].isdecimal() and parts[0] == parts[1] and parts[0] != "–"):
        return parts[0]
    return "+".join(parts) if any(p != "–" for p in parts) else "–"

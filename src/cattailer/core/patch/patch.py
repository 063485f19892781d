"""The patch: what is plugged where, which tracks there are, and where everything goes. Keys are those of ``ends``."""

from dataclasses import asdict, dataclass, replace
from typing import Any

from cattailer.core.mix.cells import Cell
from cattailer.core.mix.effects import Effects
from cattailer.core.mix.limiting import TRUE_PEAK
from cattailer.core.mix.listening import Listen
from cattailer.core.patch.ends import group_end, mix_end, return_end, socket_of, track_end

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
    muted: bool = False
    soloed: bool = False
    listen: Listen = Listen()
    live_db: float = 0.0
    playback_db: float = 0.0
    effects: Effects = Effects()
    prints: bool = False
    width_percent: float = 100.0
    balance_db: float = 0.0

    @property
    def key(self) -> str:
        return track_end(self.id)

    @property
    def pair(self) -> bool:
        return len(self.feeds) == 2


@dataclass(frozen=True)
class PatchGroup:
    id: int
    name: str
    fader_db: float = 0.0
    muted: bool = False
    soloed: bool = False
    effects: Effects = Effects()

    @property
    def key(self) -> str:
        return group_end(self.id)


@dataclass(frozen=True)
class PatchReturn:
    """Where shared effects come back."""

    id: int
    name: str
    fader_db: float = 0.0
    muted: bool = False
    effects: Effects = Effects()

    @property
    def key(self) -> str:
        return return_end(self.id)


@dataclass(frozen=True)
class PatchMix:
    """The main mix or a cue mix; ``outputs`` as printed, two or none. The rest as in ``core.plan.MixPlan``."""

    id: int
    name: str
    kind: str = "cue"
    outputs: tuple[int, ...] = ()
    fader_db: float = -6.0
    after_fader: bool = True
    own: tuple[int, ...] = ()
    forward_db: float = 0.0
    limit_dbfs: float | None = None
    limit_by: str = TRUE_PEAK

    @property
    def key(self) -> str:
        return mix_end(self.id)


@dataclass(frozen=True)
class Patch:
    """The whole patch. ``routes`` are (from, to) keys: tracks, groups and returns into groups, returns and mixes;
    ``cells`` say how some of them sound otherwise than plainly."""

    inputs: tuple[PatchInput, ...] = ()
    tracks: tuple[PatchTrack, ...] = ()
    groups: tuple[PatchGroup, ...] = ()
    mixes: tuple[PatchMix, ...] = ()
    routes: tuple[tuple[str, str], ...] = ()
    returns: tuple[PatchReturn, ...] = ()
    cells: tuple[Cell, ...] = ()

    def input(self, socket: int) -> PatchInput | None:
        return next((i for i in self.inputs if i.socket == socket), None)

    def behind(self, feeds: tuple[str, ...], sockets: int) -> list[PatchInput]:
        """The inputs of these feeds, on an interface with so many sockets."""
        found = [self.input(n) for f in feeds if (n := socket_of(f)) and n <= sockets]
        return [row for row in found if row is not None]

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
            tuple(PatchGroup(**_with_effects(g)) for g in data["groups"]),
            tuple(PatchMix(**{**m, "outputs": tuple(m["outputs"]), "own": tuple(m.get("own", ()))})
                  for m in data["mixes"]),
            tuple((a, b) for a, b in data["routes"]),
            tuple(PatchReturn(**_with_effects(r)) for r in data.get("returns", ())),
            tuple(Cell(**c) for c in data.get("cells", ())),
        )

    def bare(self) -> "Patch":
        """The same without what belongs to one occasion: nothing armed, nothing checked, no takes."""
        return replace(
            self, inputs=tuple(replace(i, checked=False) for i in self.inputs),
            tracks=tuple(replace(t, armed=False, takes=0, soloed=False) for t in self.tracks),
            groups=tuple(replace(g, soloed=False) for g in self.groups),
        )


def _track(data: dict[str, Any]) -> PatchTrack:
    """Of templates of older versions too, which know nothing of listening."""
    return PatchTrack(**{
        **_with_effects(data), "feeds": tuple(data["feeds"]), "window": tuple(data.get("window", ())),
        "listen": Listen(**data.get("listen", {})),
    })


def _with_effects(data: dict[str, Any]) -> dict[str, Any]:
    return {**data, "effects": Effects.from_dict(data.get("effects") or {})}

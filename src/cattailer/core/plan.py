"""The plan: everything the engine needs to know of a session, compiled and immutable.

Services make a plan from the database; the engine swaps it whole at a block boundary. Telemetry
carries its revision.
"""

from collections.abc import Iterable
from dataclasses import asdict, dataclass, field, replace
from typing import Any

from cattailer.core.mix.cells import Cell
from cattailer.core.mix.effects import Effects
from cattailer.core.mix.gains import Sides, pan_gains
from cattailer.core.mix.limiting import TRUE_PEAK
from cattailer.core.mix.listening import Listen
from cattailer.core.notes.guide import Guide, guides_of
from cattailer.core.patch.ends import SOFTWARE
from cattailer.core.sound.meters import TARGET_WINDOW_DBFS, own_or_usual
from cattailer.core.standin import Request
from cattailer.core.takes.pieces import Piece
from cattailer.core.time.clicking import ClickSettings
from cattailer.core.time.timeline import TempoMap


@dataclass(frozen=True)
class TrackPlan:
    """A track: the source channels that feed it (one, or two for a pair), and how it sits in the mixes.

    Source channels are counted from 0: the interface's inputs, then ``SOFTWARE_CHANNELS`` of the
    pattern player, then two for each feeder. ``NOTHING`` is silence.
    """

    id: int
    name: str
    inputs: tuple[int, ...]
    armed: bool
    fader_db: float = 0.0
    pan: float = 0.0
    window: tuple[float, ...] = ()
    muted: bool = False
    soloed: bool = False
    listen: Listen = Listen()
    live_db: float = 0.0
    playback_db: float = 0.0
    effects: Effects = Effects()
    prints: bool = False
    """Whether its effects are captured."""

    width_percent: float = 100.0
    balance_db: float = 0.0
    """Of a pair; see ``core.mix.gains``."""

    def sides(self, pan: float | None = None) -> Sides:
        """The gains of its channels, at its own pan or another one."""
        return pan_gains(self.pan if pan is None else pan, len(self.inputs), self.width_percent, self.balance_db)


@dataclass(frozen=True)
class GroupPlan:
    id: int
    name: str
    fader_db: float = 0.0
    soloed: bool = False
    muted: bool = False
    effects: Effects = Effects()


@dataclass(frozen=True)
class ReturnPlan:
    """Where shared effects come back: what is sent there sounds through them."""

    id: int
    name: str
    fader_db: float = 0.0
    muted: bool = False
    effects: Effects = Effects()


@dataclass(frozen=True)
class MixPlan:
    """``outputs`` are counted from 0: two, or none. The first mix of a plan is the main mix.

    A cue mix takes rows after their faders, or before (``after_fader``). ``own`` are the tracks of whoever listens:
    ``forward_db`` lifts them against the rest. Above ``limit_dbfs`` nothing passes, by ``limit_by``; None lets
    everything pass.
    """

    id: int
    name: str
    outputs: tuple[int, ...]
    fader_db: float = -6.0
    after_fader: bool = True
    own: tuple[int, ...] = ()
    forward_db: float = 0.0
    limit_dbfs: float | None = None
    limit_by: str = TRUE_PEAK


NOTHING = -1
SOFTWARE_CHANNELS = 2 * len(SOFTWARE)
MOST_MIXES = 12
MOST_FEEDERS = 8
"""The most groups that can feed tracks at once."""


@dataclass(frozen=True)
class Preamps:
    """Per input: gain in dB, 48 V, pad in dB, and what is switched in. Empty means nowhere.

    ``low_cut_hz`` 0 is off; the gain of a socket that is not ``remote`` is what is noted, not what is set.
    """

    gain_db: tuple[float, ...]
    phantom: tuple[bool, ...]
    pad_db: tuple[float, ...]
    polarity: tuple[bool, ...] = ()
    low_cut_hz: tuple[float, ...] = ()
    instrument: tuple[bool, ...] = ()
    soft_limit: tuple[bool, ...] = ()


@dataclass(frozen=True)
class Plan:
    """One session as the engine runs it. ``pieces`` are what sounds of takes, per track, in order.

    ``routes`` are (from, to) keys as in ``core.patch.patch``; the first mix is what browsers listen to.
    ``feeders`` are the groups that feed tracks. ``window`` is the target window in dBFS; a track may have its own.
    ``correction_samples`` is what the measured round trip is longer than the driver claims. ``loop`` is the stretch
    that rolling goes round in. ``pieces`` are those of the session's ``takes_revision``. ``cells`` say how some routes
    differ from a plain way; ``alone`` is the end that the main mix plays alone, before its fader.
    ``direct``: the interface has a Direct path. ``guides`` are tuned to an A of ``reference_hz``. ``room`` says how the
    stand-in's room is set up when it is opened.
    """

    session: int
    title: str
    revision: int
    interface: str
    rate_hz: int
    period: int
    bits: int
    inputs: int
    outputs: int
    preamps: Preamps
    tracks: tuple[TrackPlan, ...]
    pieces: tuple[Piece, ...]
    tempo: TempoMap
    click: bool = False
    clicking: ClickSettings = field(default_factory=ClickSettings)
    groups: tuple[GroupPlan, ...] = ()
    mixes: tuple[MixPlan, ...] = ()
    routes: tuple[tuple[str, str], ...] = ()
    feeders: tuple[int, ...] = ()
    window: tuple[float, float] = TARGET_WINDOW_DBFS
    correction_samples: int = 0
    loop: tuple[int, int] | None = None
    takes_revision: int = 0
    returns: tuple[ReturnPlan, ...] = ()
    cells: tuple[Cell, ...] = ()
    alone: str = ""
    direct: bool = False
    guides: tuple[Guide, ...] = ()
    reference_hz: float = 440.0
    room: tuple[Request, ...] = ()

    @property
    def source_channels(self) -> int:
        return self.inputs + SOFTWARE_CHANNELS + 2 * len(self.feeders)

    @property
    def plays_patterns(self) -> bool:
        """Whether anything is fed by the pattern player."""
        first, stop = self.inputs, self.inputs + SOFTWARE_CHANNELS
        return any(first <= i < stop for t in self.tracks for i in t.inputs)

    def windows(self) -> list[tuple[float, float]]:
        """The target window by source channel: that of the first track which it feeds, else the session's."""
        out = [self.window] * self.source_channels
        for track in reversed(self.tracks):
            for channel in track.inputs if track.window else ():
                if channel >= 0:
                    out[channel] = own_or_usual(track.window, self.window)
        return out

    def to_dict(self) -> dict[str, Any]:
        """Plain values, as they travel to the engine; the pieces travel apart, see ``plain_pieces``."""
        data = asdict(replace(self, pieces=()))
        data["tempo"] = self.tempo.to_dict()
        return data

    def plain_pieces(self) -> list[list[Any]]:
        return [piece.plain() for piece in self.pieces]

    @property
    def take_rows(self) -> dict[tuple[int, bool], tuple[int, int]]:
        """Where takes come in, by track and whether their effects are in them already: (first row, rows). Those that
        have them come after all others, and only where there are any."""
        printed = {p.track for p in self.pieces if p.printed}
        out: dict[tuple[int, bool], tuple[int, int]] = {}
        row = 0
        for key, width in (
            *(((t.id, False), len(t.inputs)) for t in self.tracks),
            *(((t.id, True), len(t.inputs)) for t in self.tracks if t.id in printed),
        ):
            out[key] = row, width
            row += width
        return out

    @classmethod
    def from_dict(cls, data: dict[str, Any], pieces: Iterable[Piece] = ()) -> "Plan":
        """Raises KeyError, TypeError or ValueError when ``data`` is no plan."""
        rest = dict(data)
        rest["tempo"] = TempoMap.from_dict(rest["rate_hz"], rest["tempo"])
        rest["preamps"] = Preamps(**{k: tuple(v) for k, v in rest["preamps"].items()})
        rest["tracks"] = tuple(_track(t) for t in rest["tracks"])
        rest["pieces"] = tuple(pieces)
        rest["groups"] = tuple(GroupPlan(**_with_effects(g)) for g in rest["groups"])
        rest["returns"] = tuple(ReturnPlan(**_with_effects(r)) for r in rest["returns"])
        rest["mixes"] = tuple(
            MixPlan(**{**m, "outputs": tuple(m["outputs"]), "own": tuple(m["own"])}) for m in rest["mixes"]
        )
        rest["cells"] = tuple(Cell(**c) for c in rest["cells"])
        rest["routes"] = tuple((a, b) for a, b in rest["routes"])
        rest["feeders"] = tuple(rest["feeders"])
        rest["window"] = tuple(rest["window"])
        rest["loop"] = tuple(rest["loop"]) if rest.get("loop") else None
        rest["room"] = tuple((name, values) for name, values in rest["room"])
        rest["guides"] = guides_of(rest["guides"])
        rest["clicking"] = ClickSettings.from_dict(rest["clicking"])
        return cls(**rest)

    def same_rows(self, other: "Plan") -> bool:
        """Whether both have the same tracks, as wide."""
        return [(t.id, len(t.inputs)) for t in self.tracks] == [(t.id, len(t.inputs)) for t in other.tracks]

    def alike_but_takes(self, other: "Plan") -> bool:
        """Whether both say the same of all but what sounds of takes."""
        return replace(
            self, pieces=other.pieces, revision=other.revision, takes_revision=other.takes_revision
        ) == other

    def same_hardware(self, other: "Plan | None") -> bool:
        """Whether the driver can stay open when ``other`` gives way to this plan."""
        if other is None or (self.session != other.session and self.room != other.room):
            return False
        return (self.interface, self.rate_hz, self.period) == (other.interface, other.rate_hz, other.period)


def _with_effects(data: dict[str, Any]) -> dict[str, Any]:
    return {**data, "effects": Effects.from_dict(data["effects"])}


def _track(data: dict[str, Any]) -> TrackPlan:
    return TrackPlan(**{
        **_with_effects(data), "inputs": tuple(data["inputs"]), "window": tuple(data["window"]),
        "listen": Listen(**data["listen"]),
    })

"""The Lamplighter's Ferry: the session that the demo starts with."""

from dataclasses import dataclass
from fractions import Fraction

from sqlalchemy import select

from cattailer.core.patch.ends import socket_end
from cattailer.core.patch.patch import Patch, PatchGroup, PatchInput, PatchMix, PatchTrack
from cattailer.core.patch.shape import Shape
from cattailer.core.plan import GroupPlan, MixPlan, Plan, TrackPlan
from cattailer.core.time.timeline import Meter, Tempo, TempoMap
from cattailer.media import profile_toml
from cattailer.services.desk.desk import Desk
from cattailer.services.session.compiling import preamps_of, source_channel
from cattailer.services.session.shapes import build
from cattailer.store.models import Session

IDENTITY = "demo-lamplighters-ferry"
TITLE = "The Lamplighter's Ferry"
FOLDER = "the-lamplighters-ferry"
INTERFACE = "marshgate-16"
RATE_HZ, PERIOD, BITS = 48000, 128, 24


@dataclass(frozen=True)
class DemoInput:
    socket: int
    name: str
    pickup: str
    note: str
    phantom: bool
    gain_db: float
    pan: float


INPUTS = (
    DemoInput(1, "Dulcimer left", "condenser", "40 cm, bass side", True, 28, -0.7),
    DemoInput(2, "Dulcimer right", "condenser", "40 cm, top side", True, 28, -0.1),
    DemoInput(3, "Cello", "condenser", "60 cm, f-hole", True, 28, 0.1),
    DemoInput(4, "Cello pickup", "DI", "bridge pickup", False, 20, 0.15),
    DemoInput(5, "Bass clarinet", "ribbon", "50 cm, at the keys", False, 50, 0.4),
    DemoInput(6, "Frame drum", "dynamic", "15 cm off the rim", False, 32, 0.6),
    DemoInput(7, "Harmonium", "condenser", "80 cm, behind", True, 39, -0.55),
    DemoInput(8, "Narrator", "condenser", "20 cm, foam", True, 30, 0.0),
    DemoInput(9, "Room left", "condenser", "3 m, 2 m up", True, 29, -1.0),
    DemoInput(10, "Room right", "condenser", "3 m, 2 m up", True, 29, 1.0),
)


GROUPS = {"Strings": (1, 2, 3, 4), "Reeds": (5, 7)}
"""Which tracks go through a group on their way to the main mix; the others go there straight."""

ICONS = ("strings", "strings", "strings", "line", "wind", "drum", "keys", "voice", "room", "room")
COLOURS = ("water", "water", "cattail", "cattail", "reed", "ochre", "reed", "heather", "slate", "slate")


def tempo(rate_hz: int = RATE_HZ) -> TempoMap:
    """A waltz at 92."""
    return TempoMap(rate_hz, (Tempo(Fraction(0), Fraction(92)),), (Meter(1, 3, 4),))


def shape() -> Shape:
    """The demo session: ten tracks, two groups, the main mix and three cue mixes."""
    rows = tuple(
        PatchInput(
            i.socket, i.name, i.name.removesuffix(" left").removesuffix(" right").lower(), i.pickup,
            distance=i.note.split(", ")[0] if ", " in i.note else "", aim=i.note.split(", ")[-1],
            gain_db=i.gain_db, phantom=i.phantom,
        )
        for i in INPUTS
    )
    tracks = tuple(
        PatchTrack(i.socket, i.name, (socket_end(i.socket),), pan=i.pan, icon=icon, colour=colour)
        for i, icon, colour in zip(INPUTS, ICONS, COLOURS, strict=True)
    )
    groups = tuple(PatchGroup(n, name) for n, name in enumerate(GROUPS, 1))
    mixes = (
        PatchMix(1, "Main mix", "main", (1, 2)), PatchMix(2, "Cue dulcimer", "cue", (3, 4), own=(1, 2)),
        PatchMix(3, "Cue narrator", "cue", (5, 6), own=(8,)), PatchMix(4, "Cue band", "cue", (7, 8)),
    )
    into = {t: g.key for g, members in zip(groups, GROUPS.values(), strict=True) for t in members}
    strings, reeds = (g.key for g in groups)
    main, *cues = (m.key for m in mixes)
    narrator = tracks[7].key
    routes = (
        *((t.key, into.get(t.id, main)) for t in tracks), *((g.key, main) for g in groups),
        (strings, cues[0]), (narrator, cues[0]), (strings, cues[1]), (reeds, cues[1]), (narrator, cues[1]),
        *((t.key, cues[2]) for t in tracks[:8]),
    )
    return Shape(INTERFACE, RATE_HZ, PERIOD, BITS, tempo().to_dict(), Patch(rows, tracks, groups, mixes, routes))


def plan(armed: bool, rate_hz: int = RATE_HZ, period: int = PERIOD, click: bool = False) -> Plan:
    """The demo as a plan, without a database: ten tracks, all armed or none."""
    profile = profile_toml.shipped()[INTERFACE]
    patch = shape().patch
    tracks = tuple(
        TrackPlan(t.id, t.name, tuple(source_channel(f, profile, ()) for f in t.feeds), armed, 0.0, t.pan)
        for t in patch.tracks
    )
    return Plan(
        1, TITLE, 1, INTERFACE, rate_hz, period, BITS, profile.inputs, profile.outputs, preamps_of(patch, profile),
        tracks, (), tempo(rate_hz), click, groups=tuple(GroupPlan(g.id, g.name) for g in patch.groups),
        mixes=tuple(MixPlan(m.id, m.name, tuple(o - 1 for o in m.outputs)) for m in patch.mixes), routes=patch.routes,
    )


def load(desk: Desk) -> int:
    """The demo session's id, whatever it is called by now; makes the session when it is not there."""
    with desk.database.transaction() as db:
        found = db.scalar(select(Session.id).where(Session.identity == IDENTITY))
        if found is not None:
            return found
        session = build(desk, db, TITLE, shape(), "Ferry")
        session.identity = IDENTITY
        if db.scalar(select(Session.id).where(Session.folder == FOLDER)) is None:
            session.folder = FOLDER
        return session.id

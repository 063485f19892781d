"""Templates: the three that come with Cattailer, and people's own."""

from dataclasses import dataclass
from functools import cache

from sqlalchemy import select

from cattailer.core.errors import NotFound, NotNow
from cattailer.core.gear.interface import Profile
from cattailer.core.naming import clean_name
from cattailer.core.patch.ends import group_end, mix_end, socket_end, socket_of
from cattailer.core.patch.patch import Patch, PatchGroup, PatchInput, PatchMix, PatchTrack
from cattailer.core.patch.shape import Shape
from cattailer.core.time.timeline import TempoMap
from cattailer.core.wording import counted
from cattailer.services.desk.desk import Desk
from cattailer.services.session.reading import get_session
from cattailer.services.session.shapes import shape_of
from cattailer.store.kept import Setting, Template

DEFAULT = "default template"
EMPTY = "empty"


@dataclass(frozen=True)
class TemplateCard:
    """One to choose from. ``key`` is "empty", "shipped-…" or "own-…"."""

    key: str
    name: str
    shape: Shape
    default: bool

    @property
    def own(self) -> bool:
        return self.key.startswith("own-")

    @property
    def holds(self) -> str:
        patch = self.shape.patch
        cues = sum(m.kind == "cue" for m in patch.mixes)
        parts = ((len(patch.tracks), "track", ""), (len(patch.groups), "group", ""), (cues, "cue mix", "cue mixes"))
        return ", ".join(counted(*part) for part in parts if part[0]) or "no tracks yet"


def cards(desk: Desk) -> list[TemplateCard]:
    """Empty first, then the shipped ones, then people's own by name."""
    with desk.database.transaction() as db:
        setting = db.get(Setting, DEFAULT)
        chosen = setting.value["key"] if setting else EMPTY
        own = db.execute(select(Template.id, Template.name, Template.shape).order_by(Template.name)).all()
    found = {EMPTY: ("Empty session", empty()), **shipped()}
    found |= {f"own-{i}": (name, Shape.from_dict(shape)) for i, name, shape in own}
    if chosen not in found:
        chosen = EMPTY
    return [TemplateCard(key, name, shape, key == chosen) for key, (name, shape) in found.items()]


def find(desk: Desk, key: str) -> TemplateCard:
    """Raises NotFound."""
    for card in cards(desk):
        if card.key == key:
            return card
    raise NotFound("That template is not here any more. Choose another one; nothing was made.")


def save(desk: Desk, session_id: int, name: str) -> None:
    """Keeps a session, without its takes, as a template. Raises NotNow when the name is taken."""
    name = clean_name(name, "template's name")
    with desk.database.transaction() as db:
        if db.scalar(select(Template.id).where(Template.name == name)) is not None:
            raise NotNow(f"There is a template called “{name}” already. Choose another name; nothing was changed.")
        db.add(Template(name=name, shape=shape_of(get_session(db, session_id)).to_dict()))


def remove(desk: Desk, key: str) -> None:
    """Takes away one of people's own. Sessions that were made from it stay."""
    card = find(desk, key)
    if not card.own:
        raise NotNow("The templates that come with Cattailer stay. Nothing was changed.")
    with desk.database.transaction() as db:
        db.delete(db.get_one(Template, int(key[4:])))


def choose_default(desk: Desk, key: str) -> None:
    """New sessions start from this one unless another is chosen."""
    find(desk, key)
    with desk.database.transaction() as db:
        db.merge(Setting(name=DEFAULT, value={"key": key}))


def empty() -> Shape:
    return _shape(Patch(mixes=(PatchMix(1, "Main mix", "main", (1, 2)),)))


@cache
def shipped() -> dict[str, tuple[str, Shape]]:
    """Three of our own, by key."""
    return {
        "shipped-pair": ("A pair at a table", _shape(_pair())),
        "shipped-ensemble": ("Ensemble of ten", _shape(_ensemble())),
        "shipped-spoken": ("Spoken word", _shape(_spoken())),
    }


def fits(shape: Shape, profile: Profile) -> bool:
    """Whether every socket that a shape feeds from is on an interface."""
    return all((socket_of(f) or 0) <= profile.inputs for t in shape.patch.tracks for f in t.feeds)


def _shape(patch: Patch) -> Shape:
    return Shape("marshgate-16", 48000, 128, 24, TempoMap(48000).to_dict(), patch)


def _row(socket: int, label: str, pickup: str, technique: str = "", distance: str = "", aim: str = "") -> PatchInput:
    return PatchInput(socket, label, label.lower(), pickup, technique, distance, aim, phantom=pickup == "condenser")


def _all_to(tracks: tuple[PatchTrack, ...], *mixes: int) -> tuple[tuple[str, str], ...]:
    return tuple((t.key, mix_end(m)) for t in tracks for m in mixes)


def _pair() -> Patch:
    inputs = (
        _row(1, "Pair left", "condenser", "spaced pair", "60 cm", "over the table"),
        _row(2, "Pair right", "condenser", "spaced pair", "60 cm", "over the table"),
    )
    tracks = (PatchTrack(1, "Table pair", (socket_end(1), socket_end(2)), colour="water", icon="room"),)
    mixes = (PatchMix(1, "Main mix", "main", (1, 2)),)
    return Patch(inputs, tracks, (), mixes, _all_to(tracks, 1))


def _ensemble() -> Patch:
    rows = (
        ("Fiddle", "condenser", "strings"), ("Viola", "condenser", "strings"), ("Low strings", "condenser", "strings"),
        ("Reed", "ribbon", "wind"), ("Whistle", "dynamic", "wind"), ("Squeezebox", "condenser", "keys"),
        ("Hand drum", "dynamic", "drum"), ("Singer", "condenser", "voice"),
        ("Room left", "condenser", "room"), ("Room right", "condenser", "room"),
    )
    inputs = tuple(_row(n, name, pickup) for n, (name, pickup, _) in enumerate(rows, 1))
    tracks = (
        *(PatchTrack(n, name, (socket_end(n),), icon=icon) for n, (name, _, icon) in enumerate(rows[:8], 1)),
        PatchTrack(9, "Room", (socket_end(9), socket_end(10)), icon="room"),
    )
    groups = (PatchGroup(1, "Strings"), PatchGroup(2, "Winds"))
    mixes = (
        PatchMix(1, "Main mix", "main", (1, 2)), PatchMix(2, "Cue band", "cue", (3, 4)),
        PatchMix(3, "Cue singer", "cue", (5, 6)),
    )
    into = {1: group_end(1), 2: group_end(1), 3: group_end(1), 4: group_end(2), 5: group_end(2)}
    routes = (
        *((t.key, into.get(t.id, mix_end(1))) for t in tracks), (group_end(1), mix_end(1)), (group_end(2), mix_end(1)),
        *_all_to(tracks[:8], 2, 3),
    )
    return Patch(inputs, tracks, groups, mixes, routes)


def _spoken() -> Patch:
    inputs = tuple(_row(n, name, "dynamic", "close", "15 cm", "off axis") for n, name in ((1, "Host"), (2, "Guest")))
    tracks = (
        PatchTrack(1, "Host", (socket_end(1),), icon="voice", colour="water"),
        PatchTrack(2, "Guest", (socket_end(2),), icon="voice", colour="ochre"),
    )
    groups = (PatchGroup(1, "Voices"),)
    mixes = (PatchMix(1, "Main mix", "main", (1, 2)), PatchMix(2, "Cue table", "cue", (3, 4)))
    voices = groups[0].key
    routes = (*((t.key, voices) for t in tracks), (voices, mix_end(1)), *_all_to(tracks, 2))
    return Patch(inputs, tracks, groups, mixes, routes)

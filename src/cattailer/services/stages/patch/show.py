"""What the Patch stage shows, ready to render."""

from dataclasses import dataclass

from sqlalchemy import orm

from cattailer.core.findings import Finding
from cattailer.core.gear.interface import Profile
from cattailer.core.patch import flowpicture, inputlist
from cattailer.core.patch.ends import SIDES, SOFTWARE, channel, in_words, socket_end, socket_of, software_end
from cattailer.core.patch.patch import Patch, PatchInput, PatchTrack
from cattailer.core.patch.routing import Flow, flow
from cattailer.engine.messages.answers import Status
from cattailer.services.desk.desk import Desk
from cattailer.services.running.frame import Frame, describe
from cattailer.services.session import history
from cattailer.services.session.reading import load
from cattailer.services.session.rows import patch_of
from cattailer.services.session.switches import SwitchView, of_socket
from cattailer.store.models import Session


@dataclass(frozen=True)
class SocketRow:
    """A socket with its switches and the tracks it feeds. ``gone`` when the interface lacks it."""

    number: int
    connector: str
    preamp: bool
    input: PatchInput
    switches: tuple[SwitchView, ...]
    tracks: tuple[str, ...]
    gone: bool
    away: bool
    feed: str


@dataclass(frozen=True)
class TrackLine:
    """``feed`` is as printed; ``socket`` is the first that feeds it, 0 where none does."""

    place: int
    track: PatchTrack
    feed: str
    socket: int
    looks: tuple[Finding, ...]
    goes: str


@dataclass(frozen=True)
class Source:
    """Something to feed a track from, in one select or one column of the grid."""

    feed: str
    name: str
    short: str
    kind: str


@dataclass(frozen=True)
class PatchPage:
    """The common part of every page of the stage."""

    frame: Frame
    patch: Patch
    profile: Profile
    history: list[history.Line]
    away_inputs: tuple[int, ...]
    away_outputs: tuple[int, ...]

    @property
    def flow(self) -> Flow:
        return flow(self.patch, self.profile)

    @property
    def picture(self) -> flowpicture.Picture:
        return flowpicture.draw(self.flow)

    @property
    def looks(self) -> list[Finding]:
        return [f for f in self.frame.patch_findings if f.kind == "look"]


def show(desk: Desk, session_id: int) -> PatchPage:
    """Raises NotFound."""
    state = desk.engine_state()
    with desk.database.transaction() as db:
        return _describe(desk, db, load(db, session_id), state)


def _describe(desk: Desk, db: orm.Session, session: Session, state: Status) -> PatchPage:
    return PatchPage(
        describe(desk, session, state), patch_of(session), desk.profile_or_blank(session.interface),
        history.lines(db, session.id), tuple(session.away_inputs), tuple(session.away_outputs),
    )


def sockets(page: PatchPage) -> list[SocketRow]:
    """Every socket of the interface, then those of a larger one that something is still listed at."""
    feeding: dict[int, list[str]] = {}
    for track in page.patch.tracks:
        for n, feed in enumerate(track.feeds):
            if (number := socket_of(feed)) is not None:
                side = f" {SIDES[n]}" if track.pair else ""
                feeding.setdefault(number, []).append(f"{track.name}{side}")
    rows = {i.socket: i for i in page.patch.inputs}
    out = []
    for number in sorted({*range(1, page.profile.inputs + 1), *rows, *feeding}):
        row = rows.get(number, PatchInput(number))
        present = number <= page.profile.inputs
        tracks = tuple(feeding.get(number, ()))
        if not present and not row.used and not tracks:
            continue
        out.append(SocketRow(
            number, page.profile.socket(number).connector if present else "not on this interface",
            present and page.profile.socket(number).preamp, row,
            of_socket(page.profile, row, but="soft_limit") if present else (), tracks,
            not present, number in page.away_inputs and not row.used and not tracks, socket_end(number),
        ))
    return out


def tracks(page: PatchPage) -> list[TrackLine]:
    """``goes`` names the groups and mixes that a track leads to."""
    drawn = page.flow
    groups = {g.id: g.name for g in page.patch.groups}
    return [
        TrackLine(
            n, t, in_words(t.feeds, groups), next((s for f in t.feeds if (s := socket_of(f))), 0),
            tuple(f for f in page.looks if f.end == t.key),
            ", ".join(drawn.name(k) for k in drawn.after(t.key)) or "nowhere",
        )
        for n, t in enumerate(page.patch.tracks, 1)
    ]


def sources(page: PatchPage) -> list[Source]:
    """Sockets that are not put away, software sources and groups, channel by channel."""
    names = {i.socket: i.name for i in page.patch.inputs}
    out = [
        Source(socket_end(s.number), f"{s.number} {names.get(s.number, '')}".strip(), str(s.number), "sockets")
        for s in page.profile.sockets
        if s.number not in page.away_inputs or names.get(s.number)
    ]
    out += [
        Source(channel(software_end(name), n), f"{name.capitalize()} {side}", f"{name.capitalize()} {side}", "software")
        for name in SOFTWARE for n, side in enumerate(SIDES)
    ]
    return out + [
        Source(channel(g.key, n), f"{g.name} {side}", f"{g.name} {side}", "groups")
        for g in page.patch.groups for n, side in enumerate(SIDES)
    ]


def preview(desk: Desk, page: PatchPage, text: str) -> inputlist.Preview:
    """Raises Refusal when the text is no list."""
    return inputlist.read(text, page.patch, page.profile)


def left_of(group: str) -> str:
    """The feed from which a pair track captures what a group sums to."""
    return channel(group, 0)

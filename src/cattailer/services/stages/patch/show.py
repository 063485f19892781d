"""What the Patch stage shows, ready to render."""

from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import orm

from cattailer.core.advice.ready import Finding
from cattailer.core.gear.interface import Profile
from cattailer.core.patch import flowpicture, inputlist
from cattailer.core.patch.patch import SIDES, SOFTWARE, Patch, PatchInput, PatchTrack, in_words, socket_of
from cattailer.core.patch.routing import Flow, flow
from cattailer.services.desk import standin
from cattailer.services.desk.desk import Desk
from cattailer.services.running import sheet
from cattailer.services.session import hardware, history
from cattailer.services.session.editing import get_session
from cattailer.services.session.hardware import Choice, Storage
from cattailer.services.session.planning import patch_of
from cattailer.services.session.switches import SwitchView, of_socket
from cattailer.services.stages.patch.linecheck import LiveWalk
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


@dataclass(frozen=True)
class TrackLine:
    place: int
    track: PatchTrack
    feed: str
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
class PatchSheet:
    """The common part of every page of the stage."""

    sheet: sheet.Sheet
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
        return [f for f in self.sheet.patch_findings if f.kind == "look"]


def show(desk: Desk, session_id: int) -> PatchSheet:
    """Raises NotFound."""
    state = desk.engine_state()
    with desk.database.transaction() as db:
        return _describe(desk, db, sheet.load(db, session_id), state)


def _describe(desk: Desk, db: orm.Session, session: Session, state: dict[str, Any]) -> PatchSheet:
    return PatchSheet(
        sheet.describe(desk, session, state), patch_of(session), desk.profile_or_blank(session.interface),
        history.lines(db, session.id), tuple(session.away_inputs), tuple(session.away_outputs),
    )


def sockets(page: PatchSheet) -> list[SocketRow]:
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
        there = number <= page.profile.inputs
        tracks = tuple(feeding.get(number, ()))
        if not there and not row.used and not tracks:
            continue
        out.append(SocketRow(
            number, page.profile.socket(number).connector if there else "not on this interface",
            there and page.profile.socket(number).preamp, row,
            of_socket(page.profile, row, but="soft_limit") if there else (), tracks,
            not there, number in page.away_inputs and not row.used and not tracks,
        ))
    return out


def tracks(page: PatchSheet) -> list[TrackLine]:
    """``goes`` names the groups and mixes that a track leads to."""
    drawn = page.flow
    groups = {g.id: g.name for g in page.patch.groups}
    return [
        TrackLine(
            n, t, in_words(t.feeds, groups), tuple(f for f in page.looks if f.end == t.key),
            ", ".join(drawn.name(k) for k in drawn.after(t.key)) or "nowhere",
        )
        for n, t in enumerate(page.patch.tracks, 1)
    ]


def sources(page: PatchSheet) -> list[Source]:
    """Sockets that are not put away, software sources and groups, channel by channel."""
    names = {i.socket: i.name for i in page.patch.inputs}
    out = [
        Source(f"in:{s.number}", f"{s.number} {names.get(s.number, '')}".strip(), str(s.number), "sockets")
        for s in page.profile.sockets
        if s.number not in page.away_inputs or names.get(s.number)
    ]
    out += [
        Source(f"soft:{name}:{side}", f"{name.capitalize()} {side}", f"{name.capitalize()} {side}", "software")
        for name in SOFTWARE for side in SIDES
    ]
    return out + [
        Source(f"{g.key}:{side}", f"{g.name} {side}", f"{g.name} {side}", "groups")
        for g in page.patch.groups for side in SIDES
    ]


@dataclass(frozen=True)
class InterfacePage:
    profiles: list[tuple[str, str, str]]
    wrong: dict[str, str]
    rates: list[Choice]
    depths: list[Choice]
    storage: Storage
    armed_tracks: int
    code: str
    pattern: str
    example: str
    takes: bool


def interface(desk: Desk, session_id: int, page: PatchSheet) -> InterfacePage:
    """What the page about the interface needs beside the common part."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        rate, bits, title = session.rate_hz, session.bits, session.title
        code, pattern = session.code, session.name_pattern
    armed = [t for t in page.patch.tracks if t.armed]
    first = next(iter(page.patch.tracks), PatchTrack(0, "Cello", ("in:3",)))
    today = date.today().isoformat()
    example = hardware.example_name(title, code, pattern, first.name, in_words(first.feeds, {}), today)
    return InterfacePage(
        [(k, p.name, f"{p.inputs} in, {p.outputs} out") for k, p in desk.profiles.items()], desk.wrong_profiles,
        hardware.rates(page.profile, rate), hardware.depths(page.profile, bits, rate),
        hardware.storage(desk, sum(len(t.feeds) for t in armed or page.patch.tracks), rate, bits), len(armed),
        code, pattern, example, any(t.takes for t in page.patch.tracks),
    )


@dataclass(frozen=True)
class CheckRow:
    socket: int
    name: str
    pickup: str
    state: str


@dataclass(frozen=True)
class CheckPage:
    """``state`` of a row is "heard", "asked", "elsewhere" or "open"."""

    running: bool
    words: str
    rows: list[CheckRow]
    heard_at: int
    asked: int
    searching: bool
    found: int
    stand_in: dict[int, str]


def check(desk: Desk, session_id: int, page: PatchSheet) -> CheckPage:
    live = desk.live.find(session_id, LiveWalk)
    asked = live.walk.asked if live is not None else None
    rows = []
    for i in page.patch.inputs:
        if not i.used or i.socket > page.profile.inputs:
            continue
        heard = i.checked if live is None or asked is None else i.socket in live.walk.done
        state = "heard" if heard else "asked" if asked and asked.socket == i.socket else "open"
        if live is not None and live.walk.heard_at == i.socket:
            state = "elsewhere"
        rows.append(CheckRow(i.socket, i.name or f"socket {i.socket}", i.pickup, state))
    ticked = sum(r.state == "heard" for r in rows)
    words = live.words() if live is not None and live.walk.stops else f"{ticked} of {len(rows)} rows were heard so far."
    return CheckPage(
        asked is not None, words, rows, live.walk.heard_at if live else 0, asked.socket if asked else 0,
        live is not None and not live.found and live.listening and asked is None, live.found if live else 0,
        standin.plugged(desk),
    )


def preview(desk: Desk, page: PatchSheet, text: str) -> inputlist.Preview:
    """Raises Refusal when the text is no list."""
    return inputlist.read(text, page.patch, page.profile)

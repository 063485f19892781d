"""What the Listen stage shows, ready to render."""

from dataclasses import dataclass

from cattailer.core.findings import Finding
from cattailer.core.mix.cells import Cell
from cattailer.core.mix.costs import latency_of
from cattailer.core.mix.limiting import through_samples
from cattailer.core.mix.listening import DIRECT, OFF, RAW, THROUGH
from cattailer.core.mix.moving import LEVEL, range_of
from cattailer.core.patch.ends import CLICK, EVERYWHERE, GUIDE, in_words, socket_of
from cattailer.core.patch.patch import Patch, PatchMix, PatchTrack
from cattailer.core.units import milliseconds
from cattailer.services.desk.desk import Desk
from cattailer.services.running.frame import Frame, describe
from cattailer.services.session.reading import load
from cattailer.services.session.rows import measured_correction, patch_of
from cattailer.store.models import Session

SCALE = ((LEVEL.low, 0.0), (-30.0, 0.2), (LEVEL.high, 1.0))
"""Where levels lie along a cell: (dB, share of its length), straight between."""


@dataclass(frozen=True)
class CellView:
    """``there`` is false where the mix does not have the row; ``by_way_of`` says through which group it has it all the
    same. What is moved is ``level`` of ``end`` (in its cell at ``target``, where that is not empty)."""

    end: str
    target: str
    mix: int
    there: bool
    by_way_of: str
    level: str
    level_db: float
    muted: bool
    pan: float | None
    own: bool
    differs: bool

    @property
    def words(self) -> str:
        return "muted" if self.muted else figure(self.level_db)

    @property
    def pan_words(self) -> str:
        """Empty where it is as the row's, or in the middle."""
        return f"{'L' if self.pan < 0 else 'R'}{abs(self.pan) * 100:.0f}" if self.pan else ""

    @property
    def away(self) -> str:
        """Why the row is not there itself, as the cell says it; empty where it simply is not sent."""
        inside = self.end in EVERYWHERE or not self.by_way_of
        return self.by_way_of if inside else f"in {self.by_way_of}"

    @property
    def said(self) -> str:
        """The cell as it is read out: what it shows, first."""
        if self.there or not self.target:
            by = f", by way of {self.by_way_of}" if self.by_way_of else ""
            return f"{self.words} {self.pan_words}".strip() + by
        return self.away or "not sent"

    @property
    def share(self) -> float:
        return share_of(self.level_db)


@dataclass(frozen=True)
class RowView:
    """``track`` is None for groups, the click and returns; ``about`` says what such a row is. ``path`` is the one that
    its live input takes, ``late`` how late that is, empty where it is not heard live."""

    key: str
    name: str
    kind: str
    socket: str
    track: PatchTrack | None
    about: str
    path: str
    late: str
    alone: bool
    soloed: bool | None
    cells: list[CellView]
    may_direct: bool = False


@dataclass(frozen=True)
class Ear:
    """A column: a mix and who listens to it."""

    mix: PatchMix
    outputs: str
    main: bool
    own: list[str]


@dataclass(frozen=True)
class ListenPage:
    frame: Frame
    patch: Patch
    ears: list[Ear]
    rows: list[RowView]
    direct: bool
    alone: str
    findings: list[Finding]

    def cell(self, end: str, mix: int) -> tuple[RowView, CellView] | None:
        """The row and cell that are looked at closely."""
        for row in self.rows:
            for cell in row.cells:
                if row.key == end and cell.mix == mix:
                    return row, cell
        return None

    def choice(self, cell: CellView) -> Cell:
        """How a track is listened to in a mix, where that differs from everywhere."""
        return next((c for c in self.patch.cells if c.route == (cell.end, cell.target)), Cell(cell.end, cell.target))

    def usual(self, end: str, target: str, what: str) -> str:
        """Where a control stands if nobody moves it, as its figure says it."""
        value = range_of(end, target, what).usual
        if what != "pan":
            return f"{value:g}" if what == "width_percent" else figure(value)
        return f"{next((t.pan for t in self.patch.tracks if target and t.key == end), value):.1f}"

    @property
    def names(self) -> dict[int, str]:
        """Of mixes, by id."""
        return {e.mix.id: e.mix.name for e in self.ears}

    def ear(self, mix: int) -> Ear | None:
        return next((e for e in self.ears if e.mix.id == mix), None)


def figure(db: float) -> str:
    """A level as it stands in a cell."""
    if db <= LEVEL.low:
        return "−∞"
    return f"{db:+.1f}".replace("-", "−").removesuffix(".0") if db else "0"


def share_of(db: float) -> float:
    """How far along a cell a level lies, from 0 to 1."""
    for (low, a), (high, b) in zip(SCALE, SCALE[1:], strict=False):
        if db <= high:
            return max(0.0, a + (db - low) / (high - low) * (b - a))
    return 1.0


def show(desk: Desk, session_id: int) -> ListenPage:
    """Raises NotFound."""
    state = desk.engine_state()
    with desk.database.transaction() as db:
        session = load(db, session_id)
        return _page(desk, session, describe(desk, session, state))


def _page(desk: Desk, session: Session, frame: Frame) -> ListenPage:
    patch, profile = patch_of(session), desk.profile_or_blank(session.interface)
    trip = profile.latency(session.period).round_trip_samples + (measured_correction(session) or 0)
    late = through_samples(trip, session.rate_hz)
    late_ms = {
        THROUGH: milliseconds(late, session.rate_hz), DIRECT: milliseconds(profile.direct_samples, session.rate_hz),
    }
    mixes = sorted(patch.mixes, key=lambda m: m.kind != "main")
    tracks = {t.id: t.name for t in patch.tracks}
    ears = [
        Ear(m, "+".join(map(str, m.outputs)), m.kind == "main", [tracks[t] for t in m.own if t in tracks])
        for m in mixes
    ]
    rows = _rows(session, patch, mixes, late_ms, profile.direct)
    return ListenPage(frame, patch, ears, rows, profile.direct, session.alone, frame.listen_findings)


def _rows(
    session: Session, patch: Patch, mixes: list[PatchMix], late_ms: dict[str, float], direct: bool
) -> list[RowView]:
    cells = {c.route: c for c in patch.cells}
    routes = set(patch.routes)
    ways = _groups_between(patch)
    groups = {g.id: g.name for g in patch.groups}
    out = []
    for track in patch.tracks:
        inside = not any(socket_of(f) for f in track.feeds)
        path = track.listen.path if direct and not inside else THROUGH
        live = not inside and track.listen.when != OFF
        by = late_ms[path] + _effects_ms(track, path, session.rate_hz)
        out.append(RowView(
            track.key, track.name, "track", in_words(track.feeds, groups), track, "", path,
            f"{by:.1f} ms" if live else "", session.alone == track.key, track.soloed,
            [_cell(track.key, m, routes, cells, ways, track.fader_db, track.muted, track.pan, track.id in m.own)
             for m in mixes], direct and not inside,
        ))
    for group in patch.groups:
        members = sum(target == group.key for _, target in routes)
        out.append(RowView(
            group.key, group.name, "group", "", None, f"group of {members}", "", "", session.alone == group.key,
            group.soloed,
            [_cell(group.key, m, routes, cells, ways, group.fader_db, group.muted, None, False) for m in mixes],
        ))
    wanted = session.clicking.get("mixes") or []
    out.append(RowView(CLICK, "Click", "click", "", None, "on" if session.click else "off", "", "", False, None, [
        _inside_cell(CLICK, m, cells, not wanted or m.id in wanted, "not chosen in Timing") for m in mixes
    ]))
    about = f"{len(session.guides)} placed" if session.guides else "by hand"
    out.append(RowView(GUIDE, "Guide notes", "click", "", None, about, "", "", False, None, [
        _inside_cell(GUIDE, m, cells, m.kind != "main", "for ears only") for m in mixes
    ]))
    for end in patch.returns:
        sent = sum(target == end.key for _, target in routes)
        out.append(RowView(
            end.key, end.name, "return", "", None, f"return · from {sent}", "", "", session.alone == end.key, None,
            [_cell(end.key, m, routes, cells, ways, end.fader_db, end.muted, None, False) for m in mixes],
        ))
    return out


def _cell(
    key: str, mix: PatchMix, routes: set[tuple[str, str]], cells: dict[tuple[str, str], Cell],
    ways: dict[tuple[str, str], str], fader_db: float, muted: bool, pan: float | None, own: bool,
) -> CellView:
    """In the main mix a cell is the row's own fader."""
    way = (key, mix.key)
    by_way_of = ways.get(way, "")
    if mix.kind == "main":
        there = way in routes or bool(by_way_of)
        return CellView(key, "", mix.id, there, by_way_of, "fader_db", fader_db, muted, pan, own, False)
    cell = cells.get(way, Cell(*way))
    differs = bool(cell.path or cell.when or cell.point)
    return CellView(
        key, mix.key, mix.id, way in routes, "" if way in routes else by_way_of, "level_db", cell.level_db, cell.muted,
        cell.pan, own, differs,
    )


def _effects_ms(track: PatchTrack, path: str, rate_hz: int) -> float:
    heard = path == THROUGH and track.listen.point != RAW
    return milliseconds(latency_of(track.effects), rate_hz) if heard else 0.0


def _inside_cell(key: str, mix: PatchMix, cells: dict[tuple[str, str], Cell], wanted: bool, why_not: str) -> CellView:
    """Of what goes to mixes by itself."""
    cell, by = cells.get((key, mix.key), Cell(key, mix.key)), "" if wanted else why_not
    return CellView(key, mix.key, mix.id, wanted, by, "level_db", cell.level_db, cell.muted, cell.pan, False, False)


def _groups_between(patch: Patch) -> dict[tuple[str, str], str]:
    """By (row, mix): the group through which a row reaches a mix that does not have it itself."""
    before: dict[str, list[str]] = {}
    for start, target in patch.routes:
        before.setdefault(target, []).append(start)
    names = {g.key: g.name for g in patch.groups}
    out: dict[tuple[str, str], str] = {}
    for mix in patch.mixes:
        left = [(g, names[g]) for g in before.get(mix.key, ()) if g in names]
        while left:
            at, name = left.pop()
            for start in before.get(at, ()):
                if (start, mix.key) not in out:
                    out[start, mix.key] = name
                    if start in names:
                        left.append((start, name))
    return out

"""What the stages show of a session, ready to render."""

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlalchemy import orm, select
from sqlalchemy.orm import selectinload

from cattailer.core.advice import ready
from cattailer.core.gear.interface import Profile
from cattailer.core.gear.rates import rescaled
from cattailer.core.patch import patchcheck
from cattailer.core.patch.patch import Patch, PatchTrack, in_words, socket_of
from cattailer.core.time.clicking import ClickPlan
from cattailer.core.time.timeline import TempoMap, clock_text
from cattailer.core.units import milliseconds
from cattailer.services.desk.desk import Desk
from cattailer.services.running import ranges
from cattailer.services.running.ranges import RangeView
from cattailer.services.running.transport import time_left_text
from cattailer.services.session.editing import get_session
from cattailer.services.session.planning import (
    loop_of,
    measured_correction,
    patch_of,
    source_channel,
    taps_of,
    tempo_of,
)
from cattailer.services.session.sessions import disk_minutes_left
from cattailer.services.stages.levels.live import LiveLevels
from cattailer.services.stages.takes.leadin import opening
from cattailer.store.models import Check, Run, Session, Take, Track

WINDOW_BARS = 16
MOST_LOST = 3


@dataclass(frozen=True)
class TakeLine:
    id: int
    number: int
    run: int
    file: str
    length: str
    start: str
    peak_dbfs: float
    clips: int
    dropouts: int
    recovered: bool
    head: str
    head_s: float


@dataclass(frozen=True)
class TrackRow:
    """One row, along the signal's way. ``inputs`` are source channels as the meters count them,
    ``feed`` is as printed; ``socket`` is 0 where no socket feeds it."""

    id: int
    name: str
    socket: int
    feed: str
    inputs: list[int]
    phantom: bool
    has_phantom: bool
    source: str
    gain_db: float | None
    armed: bool
    colour: str
    icon: str
    takes: list[TakeLine]


@dataclass(frozen=True)
class RunLine:
    number: int
    at: datetime
    length: str
    tracks: int
    dropouts: int
    lost: list[str]
    recovered: bool
    message: str


@dataclass(frozen=True)
class Sheet:
    id: int
    title: str
    hardware: str
    rate_hz: int
    revision: int
    click: bool
    count_bars: int
    count_sound: str
    count_when: str
    tempo: str
    range: RangeView
    rows: list[TrackRow]
    runs: list[RunLine]
    findings: list[ready.Finding]
    armed: int
    gain_range: str
    marks: dict[str, str]
    patch_findings: list[ready.Finding]


def show(desk: Desk, session_id: int) -> Sheet:
    """Raises NotFound."""
    state = desk.engine_state()
    with desk.database.transaction() as db:
        return describe(desk, load(db, session_id), state)


def load(db: orm.Session, session_id: int) -> Session:
    """A session with all that a page shows, in a few queries. Raises NotFound."""
    get_session(db, session_id)
    takes = selectinload(Session.tracks).selectinload(Track.takes)
    runs = selectinload(Session.runs).selectinload(Run.takes)
    query = select(Session).where(Session.id == session_id).options(
        takes.selectinload(Take.media), takes.selectinload(Take.run), runs, selectinload(Session.inputs),
        selectinload(Session.groups), selectinload(Session.mixes), selectinload(Session.routes),
    )
    return db.scalars(query).one()


def describe(desk: Desk, session: Session, state: dict[str, Any]) -> Sheet:
    profile, patch = desk.profile_or_blank(session.interface), patch_of(session)
    taps = taps_of(patch)
    rows = [_row(session, patch, profile, taps, t) for t in session.tracks]
    armed = [t for t in patch.tracks if t.armed]
    channels = sum(len(t.feeds) for t in armed or patch.tracks)
    minutes = disk_minutes_left(desk, channels, session.rate_hz, session.bits)
    there = state["state"] != "away"
    if session.mixing and profile.there:
        late = profile.latency(session.period).round_trip_ms(session.rate_hz)
        mixing = [ready.Finding("look", f"The buffer for mixing is in use: players hear themselves {late:.0f} ms late")]
    else:
        mixing = []
    findings = mixing + ready.check([_state(patch, t) for t in patch.tracks], minutes, time_left_text(minutes), there)
    patch_findings = patchcheck.check(patch, profile, frozenset(session.accepted))
    runs = [_run(run, tempo_of(session)) for run in reversed(session.runs)]
    clicking = ClickPlan.from_dict(session.clicking)
    meter, tempo = tempo_of(session).meters[0], tempo_of(session).tempi[0]
    return Sheet(
        session.id, session.title,
        f"{profile.name} · {session.rate_hz / 1000:g} kHz · {session.bits} bit · {session.period} samples",
        session.rate_hz, session.revision, session.click,
        clicking.count_bars, clicking.count_sound, clicking.count_when,
        f"{float(tempo.bpm):g}  {meter.beats}/{meter.unit}", ranges.view(session), rows, runs, findings, len(armed),
        f"{profile.gain_min_db:+g} to {profile.gain_max_db:+g} dB",
        {
            "patch": ready.stage_mark(patch_findings, bool(patch.tracks)),
            "levels": _levels_mark(desk, session),
            "timing": "untouched" if measured_correction(session) is None else "settled",
            "capture": ready.stage_mark(findings, bool(runs)),
            "takes": "look" if any(r.dropouts or r.message for r in runs[:1]) else
            ("settled" if any(r.takes for r in rows) else "untouched"),
        },
        patch_findings,
    )


def _levels_mark(desk: Desk, session: Session) -> str:
    """Something is wrong, a check was made, or nothing was done there yet."""
    mine = desk.live.find(session.id, LiveLevels)
    if mine is not None and mine.findings:
        return "look"
    db = orm.object_session(session)
    checked = db is not None and db.scalar(select(Check.id).where(Check.session_id == session.id).limit(1)) is not None
    return "settled" if checked else "untouched"


@dataclass(frozen=True)
class Window:
    """A stretch of the timeline for drawing: ``bars`` are (number, sample), ``range`` is what rolling goes round in."""

    start: int
    stop: int
    bars: list[tuple[int, int]]
    range: tuple[int, int] | None


def window(desk: Desk, session_id: int, position: int) -> Window:
    """The page of sixteen bars that holds a position."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        tempo, loop = tempo_of(session), loop_of(session)
    first = (tempo.bar_beat_at(position).bar - 1) // WINDOW_BARS * WINDOW_BARS + 1
    bars = [(bar, tempo.sample_of(bar)) for bar in range(first, first + WINDOW_BARS + 1)]
    return Window(bars[0][1], bars[-1][1], bars[:-1], loop)


def _row(session: Session, patch: Patch, profile: Profile, taps: tuple[int, ...], track: Track) -> TrackRow:
    sockets = [n for f in track.feeds if (n := socket_of(f)) and n <= profile.inputs]
    mine = [row for n in sockets if (row := patch.input(n))]
    first = mine[0] if mine else None
    source = " · ".join(filter(None, (first.pickup, first.placement or first.note))) if first else ""
    feed = in_words(tuple(track.feeds), {g.id: g.name for g in patch.groups})
    preamp = bool(sockets) and profile.socket(sockets[0]).preamp
    return TrackRow(
        track.id, track.name, sockets[0] if sockets else 0, feed,
        [source_channel(f, profile, taps) for f in track.feeds], any(i.phantom for i in mine),
        bool(sockets) and profile.socket(sockets[0]).has("phantom"),
        source or _without_source(track, bool(sockets)),
        first.gain_db if first and preamp else None, track.armed, track.colour, track.icon,
        [_take(t) for t in reversed(track.takes)],
    )


def _without_source(track: Track, socket: bool) -> str:
    if socket:
        return "nothing noted yet"
    return "follows the tempo" if any(f.startswith("soft:") for f in track.feeds) else "no socket"


def _take(take: Take) -> TakeLine:
    rate = take.media.rate_hz
    return TakeLine(
        take.id, take.number, take.run.number, Path(take.media.path).name, clock_text(take.samples, rate),
        clock_text(take.start, rate), take.peak_dbfs, take.clips, len(take.run.dropouts), take.run.recovered,
        opening(take), take.head.samples / rate if take.head else 0.0,
    )


def _lost(run: Run, tempo: TempoMap) -> list[str]:
    """The first dropouts of a run: where, how long, and how busy the computer was."""
    out = []
    for offset, samples, *load in run.dropouts[:MOST_LOST]:
        at = tempo.bar_beat_at(rescaled(run.start + offset, run.rate_hz, tempo.rate_hz))
        busy = f", load {100 * load[0]:.0f} %" if load else ""
        out.append(f"bar {at.bar}: {milliseconds(samples, run.rate_hz):.1f} ms{busy}")
    return out + ([f"and {len(run.dropouts) - MOST_LOST} more"] if len(run.dropouts) > MOST_LOST else [])


def _run(run: Run, tempo: TempoMap) -> RunLine:
    return RunLine(
        run.number, run.began_at.astimezone(), clock_text(run.samples, run.rate_hz), len(run.takes),
        len(run.dropouts), _lost(run, tempo), run.recovered, run.message,
    )


def _state(patch: Patch, track: PatchTrack) -> ready.RowState:
    mine = [row for f in track.feeds if (n := socket_of(f)) and (row := patch.input(n))]
    return ready.RowState(
        track.name, track.armed, mine[0].pickup if mine else "", all(i.phantom for i in mine), any(track.feeds)
    )

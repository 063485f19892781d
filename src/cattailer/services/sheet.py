"""What the stages show of a session, ready to render."""

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from cattailer.core import ready
from cattailer.core.timeline import clock_text
from cattailer.services.desk import Desk
from cattailer.services.editing import get_session
from cattailer.services.planning import tempo_of
from cattailer.services.sessions import disk_minutes_left
from cattailer.services.transport import time_left_text
from cattailer.store.models import Run, Session, Take, Track

WINDOW_BARS = 16


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


@dataclass(frozen=True)
class TrackRow:
    """One row, along the signal's way. ``inputs`` count from 0, ``sockets`` is as printed."""

    id: int
    name: str
    socket: int
    sockets: str
    inputs: list[int]
    phantom: bool
    source: str
    gain_db: float
    armed: bool
    takes: list[TakeLine]


@dataclass(frozen=True)
class RunLine:
    number: int
    at: datetime
    length: str
    tracks: int
    dropouts: int
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
    tempo: str
    rows: list[TrackRow]
    runs: list[RunLine]
    findings: list[ready.Finding]
    armed: int
    gain_range: str
    marks: dict[str, str]


def show(desk: Desk, session_id: int) -> Sheet:
    """Raises NotFound."""
    state = desk.engine_state()
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        profile = desk.profile(session.interface)
        rows = [_row(session, track) for track in session.tracks]
        armed = [t for t in session.tracks if t.armed]
        channels = sum(len(t.sockets) for t in armed or session.tracks)
        minutes = disk_minutes_left(desk, channels, session.rate_hz, session.bits)
        findings = ready.check(
            [_state(session, t) for t in session.tracks], minutes, time_left_text(minutes), state["state"] != "away"
        )
        runs = [_run(run) for run in reversed(session.runs)]
        tempo = tempo_of(session)
        meter = tempo.meters[0]
        return Sheet(
            session.id, session.title,
            f"{profile.name} · {session.rate_hz / 1000:g} kHz · {session.bits} bit · {session.period} samples",
            session.rate_hz, session.revision, session.click,
            f"{float(tempo.tempi[0].bpm):g}  {meter.beats}/{meter.unit}", rows, runs, findings, len(armed),
            f"{profile.gain_min_db:+g} to {profile.gain_max_db:+g} dB",
            {
                "capture": ready.stage_mark(findings, bool(runs)),
                "takes": "look" if any(r.dropouts or r.message for r in runs[:1]) else
                ("settled" if any(r.takes for r in rows) else "untouched"),
            },
        )


@dataclass(frozen=True)
class Window:
    """A stretch of the timeline for drawing: ``bars`` are (number, sample)."""

    start: int
    stop: int
    bars: list[tuple[int, int]]


def window(desk: Desk, session_id: int, position: int) -> Window:
    """The page of sixteen bars that holds a position."""
    with desk.database.transaction() as db:
        tempo = tempo_of(get_session(db, session_id))
    first = (tempo.bar_beat_at(max(0, position)).bar - 1) // WINDOW_BARS * WINDOW_BARS + 1
    bars = [(bar, tempo.sample_of(bar)) for bar in range(first, first + WINDOW_BARS + 1)]
    return Window(bars[0][1], bars[-1][1], bars[:-1])


def _row(session: Session, track: Track) -> TrackRow:
    by_socket = {i.socket: i for i in session.inputs}
    mine = [by_socket[s] for s in track.sockets if s in by_socket]
    first = mine[0] if mine else None
    source = " · ".join(filter(None, (first.pickup, first.note))) if first else ""
    return TrackRow(
        track.id, track.name, track.sockets[0] if track.sockets else 0, "+".join(map(str, track.sockets)) or "–",
        [s - 1 for s in track.sockets], any(i.phantom for i in mine), source or "nothing noted yet",
        first.gain_db if first else 0.0, track.armed, [_take(session, t) for t in reversed(track.takes)],
    )


def _take(session: Session, take: Take) -> TakeLine:
    rate = take.media.rate_hz
    return TakeLine(
        take.id, take.number, take.run.number, Path(take.media.path).name, clock_text(take.samples, rate),
        clock_text(take.start, rate), take.peak_dbfs, take.clips, len(take.run.dropouts), take.run.recovered,
    )


def _run(run: Run) -> RunLine:
    return RunLine(
        run.number, run.began_at.astimezone(), clock_text(run.samples, run.rate_hz), len(run.takes),
        len(run.dropouts), run.recovered, run.message,
    )


def _state(session: Session, track: Track) -> ready.RowState:
    by_socket = {i.socket: i for i in session.inputs}
    mine = [by_socket[s] for s in track.sockets if s in by_socket]
    return ready.RowState(
        track.name, track.armed, mine[0].pickup if mine else "", all(i.phantom for i in mine), bool(track.sockets)
    )

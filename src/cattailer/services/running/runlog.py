"""The run log: what was captured, where, how long, and what is to be said of it."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, orm, select, true

from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.marks import RATING
from cattailer.core.time.timeline import TempoMap, clock_text
from cattailer.core.units import milliseconds
from cattailer.core.wording import counted
from cattailer.media.journal import DISK
from cattailer.store.kept import Mark
from cattailer.store.models import Run, Session, Take

MOST_LOST, MOST_RUNS = 3, 20
SILENT_DBFS = -100.0


@dataclass(frozen=True)
class RunLine:
    """A line of the run log; ``lost`` says where the first dropouts were, ``waved`` what the ready check had found, and
    ``what`` which bars of how many tracks it is, its peak, its clips and its marks."""

    number: int
    at: datetime
    length: str
    dropouts: int
    lost: list[str]
    recovered: bool
    message: str
    waved: list[str]
    what: str


@dataclass(frozen=True)
class _Logged:
    """A run, and what its takes and marks come to."""

    run: Run
    tracks: int
    peak_dbfs: float
    clips: int
    marks: int


def lines(session: Session, tempo: TempoMap) -> list[RunLine]:
    """The newest first."""
    return [_line(logged, tempo) for logged in _newest(session)]


def newest_runs(session: Session) -> list[Run]:
    """Those that the run log shows, the newest first."""
    return [logged.run for logged in _newest(session)]


def _newest(session: Session) -> list[_Logged]:
    """Read once for a page, in one query."""
    db = orm.object_session(session)
    if db is None:
        return []
    key = ("newest runs", session.id, session.revision)
    if key not in db.info:
        took = select(Take.run_id, func.count().label("tracks"), func.max(Take.peak_dbfs).label("peak_dbfs"),
                      func.sum(Take.clips).label("clips")).where(Take.run_id == Run.id).group_by(Take.run_id)
        taken = took.correlate(Run).lateral("taken")
        marks = select(func.count()).where(Mark.run == Run.uuid, Mark.kind != RATING).correlate(Run).scalar_subquery()
        query = select(Run, taken.c.tracks, taken.c.peak_dbfs, taken.c.clips, marks).outerjoin(taken, true())
        query = query.where(Run.session_id == session.id).order_by(Run.number.desc()).limit(MOST_RUNS)
        db.info[key] = [
            _Logged(run, tracks or 0, SILENT_DBFS if peak_dbfs is None else peak_dbfs, int(clips or 0), marked)
            for run, tracks, peak_dbfs, clips, marked in db.execute(query)
        ]
    found: list[_Logged] = db.info[key]
    return found


def _line(logged: _Logged, tempo: TempoMap) -> RunLine:
    run = logged.run
    return RunLine(
        run.number, run.began_at.astimezone(), clock_text(run.samples, run.rate_hz),
        len(run.dropouts), _lost(run, tempo), run.recovered, run.message, run.waved, _what(logged, tempo),
    )


def bars_of(run: Run, tempo: TempoMap) -> str:
    """Which bars it covers, in words."""
    first, last = (
        tempo.bar_beat_at(rescaled(s, run.rate_hz, tempo.rate_hz)).bar
        for s in (run.start, run.start + max(0, run.samples - 1))
    )
    return f"bar {first}" if first == last else f"bars {first} to {last}"


def _what(logged: _Logged, tempo: TempoMap) -> str:
    parts = [counted(logged.tracks, "track"), bars_of(logged.run, tempo)]
    if logged.peak_dbfs > SILENT_DBFS:
        parts.append(f"{logged.peak_dbfs:.1f}".replace("-", "−"))
    if logged.clips:
        parts.append(f"×{logged.clips} clipped")
    if logged.marks:
        parts.append(counted(logged.marks, "mark"))
    return " · ".join([*parts, *([logged.run.note] if logged.run.note else [])])


def _lost(run: Run, tempo: TempoMap) -> list[str]:
    """The first dropouts of a run: where, how long, and how busy the computer was."""
    out = []
    for offset, samples, *known in run.dropouts[:MOST_LOST]:
        at = tempo.bar_beat_at(rescaled(run.start + offset, run.rate_hz, tempo.rate_hz))
        load, cause = [*known, 0.0, ""][:2]
        busy = ", the disk was too slow" if cause == DISK else f", load {100 * load:.0f} %" if known else ""
        out.append(f"bar {at.bar}: {milliseconds(samples, run.rate_hz):.1f} ms{busy}")
    return out + ([f"and {len(run.dropouts) - MOST_LOST} more"] if len(run.dropouts) > MOST_LOST else [])

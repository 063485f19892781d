"""The run log: what was captured, where, how long, and what is to be said of it."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, orm, select

from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.marks import RATING
from cattailer.core.time.timeline import TempoMap, clock_text
from cattailer.core.units import milliseconds
from cattailer.core.wording import counted
from cattailer.media.journal import DISK
from cattailer.store.kept import Mark
from cattailer.store.models import Run, Session, Take

MOST_LOST = 3
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


def lines(session: Session, runs: list[Run], tempo: TempoMap) -> list[RunLine]:
    """In two queries, however many there are."""
    db = orm.object_session(session)
    if db is None or not runs:
        return []
    of = [run.id for run in runs]
    took = select(Take.run_id, func.count(), func.max(Take.peak_dbfs), func.sum(Take.clips)).where(Take.run_id.in_(of))
    taken = {run: rest for run, *rest in db.execute(took.group_by(Take.run_id))}
    noted = select(Mark.run, func.count()).where(Mark.run.in_([r.uuid for r in runs]), Mark.kind != RATING)
    marked = {run: count for run, count in db.execute(noted.group_by(Mark.run))}
    return [_run(run, tempo, taken.get(run.id, [0, -200.0, 0]), marked.get(run.uuid, 0)) for run in runs]


def _run(run: Run, tempo: TempoMap, taken: list[float], marks: int) -> RunLine:
    return RunLine(
        run.number, run.began_at.astimezone(), clock_text(run.samples, run.rate_hz),
        len(run.dropouts), _lost(run, tempo), run.recovered, run.message, run.waved, _what(run, tempo, taken, marks),
    )


def bars_of(run: Run, tempo: TempoMap) -> str:
    """Which bars it covers, in words."""
    first, last = (
        tempo.bar_beat_at(rescaled(s, run.rate_hz, tempo.rate_hz)).bar
        for s in (run.start, run.start + max(0, run.samples - 1))
    )
    return f"bar {first}" if first == last else f"bars {first} to {last}"


def _what(run: Run, tempo: TempoMap, taken: list[float], marks: int) -> str:
    tracks, peak_dbfs, clips = taken
    parts = [counted(int(tracks), "track"), bars_of(run, tempo)]
    if peak_dbfs > SILENT_DBFS:
        parts.append(f"{peak_dbfs:.1f}".replace("-", "−"))
    if clips:
        parts.append(f"×{int(clips)} clipped")
    if marks:
        parts.append(counted(marks, "mark"))
    return " · ".join([*parts, *([run.note] if run.note else [])])


def _lost(run: Run, tempo: TempoMap) -> list[str]:
    """The first dropouts of a run: where, how long, and how busy the computer was."""
    out = []
    for offset, samples, *known in run.dropouts[:MOST_LOST]:
        at = tempo.bar_beat_at(rescaled(run.start + offset, run.rate_hz, tempo.rate_hz))
        load, cause = [*known, 0.0, ""][:2]
        busy = ", the disk was too slow" if cause == DISK else f", load {100 * load:.0f} %" if known else ""
        out.append(f"bar {at.bar}: {milliseconds(samples, run.rate_hz):.1f} ms{busy}")
    return out + ([f"and {len(run.dropouts) - MOST_LOST} more"] if len(run.dropouts) > MOST_LOST else [])

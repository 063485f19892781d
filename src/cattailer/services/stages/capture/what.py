"""What will be captured, and what was: ready to render."""

from dataclasses import dataclass

from sqlalchemy import orm, select

from cattailer.core.gear.rates import rescaled
from cattailer.core.patch.ends import in_words
from cattailer.core.takes.marks import RATING
from cattailer.core.takes.over import WAYS
from cattailer.core.takes.settings import BEGIN_WORDS, FROM, CaptureSettings
from cattailer.core.time.timeline import TempoMap, clock_text
from cattailer.core.wording import counted
from cattailer.services.desk.desk import Desk
from cattailer.services.keeping.verifying import EARLIER, YES
from cattailer.services.running.runheader import next_run
from cattailer.services.running.runlog import bars_of, newest_runs
from cattailer.services.session.rows import tempo_of
from cattailer.store.kept import Mark
from cattailer.store.models import Session

MOST_MARKS = 8


def will_be(desk: Desk, db: orm.Session, session: Session) -> str:
    """The first armed track's socket, file and depth, and how many more there are; empty where none is armed."""
    armed = [t for t in session.tracks if t.armed]
    if not armed:
        return ""
    header, _, _ = next_run(desk, db, session, [t.id for t in armed])
    file, depth = header.files[0], "32-bit float" if session.bits == 32 else f"{session.bits} bit"
    feed = in_words(tuple(armed[0].feeds), {g.id: g.name for g in session.groups})
    more = f", and {counted(len(armed) - 1, 'more track')}" if len(armed) > 1 else ""
    form = f"{depth}, {session.rate_hz / 1000:g} kHz"
    return f"take {header.number}: {file.feed or feed} to {file.path}{more}; {form}"


def summary(how: CaptureSettings, looping: bool) -> str:
    """What the next press of Capture does."""
    parts = [f"{BEGIN_WORDS[how.begin]}, at {FROM[how.start]}"]
    if looping and not how.by_sound:
        parts.append(counted(how.passes, "pass", "passes") if how.passes else "pass after pass")
    if how.pre_bars and not how.by_sound:
        parts.append(f"pre-roll {counted(how.pre_bars, 'bar')}")
    if how.limit_s:
        parts.append(f"at most {how.limit_s:g} s")
    text = "; ".join([*parts, WAYS[how.over][0]])
    return text[0].upper() + text[1:]


@dataclass(frozen=True)
class NewestRun:
    """``passes`` is how many of the newest runs one press of Capture made; ``number`` is the take's. ``wrong`` says
    what is wrong with its files; ``checked`` whether they were read again, ``copied`` whether a second copy of them is
    whole."""

    number: int
    pass_number: int
    passes: int
    bars: str
    length: str
    peak_dbfs: float
    clips: int
    dropouts: int
    rating: str
    checked: bool
    wrong: str
    binned: bool
    copied: bool


def newest(session: Session) -> NewestRun | None:
    runs = newest_runs(session)
    if not runs:
        return None
    run, passes = runs[0], sum(r.roll == runs[0].roll for r in runs)
    tempo = tempo_of(session)
    return NewestRun(
        run.number, run.pass_number, passes, bars_of(run, tempo),
        clock_text(run.samples, run.rate_hz)[:-4], max((t.peak_dbfs for t in run.takes), default=-200.0),
        sum(t.clips for t in run.takes), len(run.dropouts), run.rating, run.verified == YES,
        "; ".join(w for w in (run.verified, run.copied) if w not in ("", YES, EARLIER)),
        bool(run.takes) and all(t.binned for t in run.takes), run.copied == YES,
    )


@dataclass(frozen=True)
class MarkLine:
    id: int
    kind: str
    where: str
    text: str
    author: str
    made: str


def marks(db: orm.Session, session: Session) -> list[MarkLine]:
    """The newest first."""
    tempo = tempo_of(session)
    query = select(Mark).where(Mark.session_id == session.id, Mark.kind != RATING).order_by(Mark.id.desc())
    return [_mark(mark, tempo) for mark in db.scalars(query.limit(MOST_MARKS))]


def _mark(mark: Mark, tempo: TempoMap) -> MarkLine:
    at = tempo.bar_beat_at(rescaled(mark.at, mark.rate_hz, tempo.rate_hz))
    made = mark.made_at.astimezone().strftime("%H:%M")
    return MarkLine(mark.id, mark.kind, f"bar {at.bar} beat {at.beat}", mark.text, mark.author, made)

"""What the Takes stage shows: the takes of each track, the newest first."""

from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import Select, func, orm, select
from sqlalchemy.orm import selectinload

from cattailer.core.patch.ends import in_words, socket_of
from cattailer.core.takes.leadin import Opening
from cattailer.core.time.timeline import clock_text
from cattailer.core.units import milliseconds
from cattailer.services.desk.desk import Desk
from cattailer.services.keeping.checking import LiveMediaCheck
from cattailer.services.running import frame
from cattailer.services.running.frame import Frame
from cattailer.services.session.reading import load
from cattailer.services.stages.takes.leadin import opening_of
from cattailer.store.models import Session, Take, Track

LISTED = 6
"""So many takes of each track are on the page; the rest is a press away."""


@dataclass(frozen=True)
class TakeLine:
    """``peak_dbfs`` is None where it is still being measured; ``lead_in`` is how much of it is heard, see
    ``leadin.opening_of``."""

    id: int
    number: int
    pass_number: int
    rating: str
    file: str
    length: str
    start: str
    peak_dbfs: float | None
    clips: int
    dropouts: int
    recovered: bool
    printed: bool
    lead_in: Opening | None
    lead_in_s: float
    moved_ms: float


@dataclass(frozen=True)
class TakeRows:
    """A track; ``feed`` is as printed, ``older`` how many takes there are beside those listed."""

    id: int
    name: str
    socket: bool
    feed: str
    takes: list[TakeLine]
    older: int


@dataclass(frozen=True)
class TakesPage:
    """``whole`` is the track of which every take is listed; 0 for none."""

    frame: Frame
    rows: list[TakeRows]
    whole: int


def show(desk: Desk, session_id: int, whole: int = 0) -> TakesPage:
    """The newest takes of each track, and all of the track ``whole``. Raises NotFound."""
    state = desk.engine_state()
    with desk.database.transaction() as db:
        session = load(db, session_id)
        groups, counts = {g.id: g.name for g in session.groups}, _counts(session)
        listed: dict[int, list[TakeLine]] = {}
        for take in db.scalars(_newest(session_id, whole)):
            listed.setdefault(take.track_id, []).append(_line(take))
        rows = [
            TakeRows(
                t.id, t.name, any(socket_of(f) for f in t.feeds), in_words(tuple(t.feeds), groups),
                listed.get(t.id, []), counts.get(t.id, 0) - len(listed.get(t.id, [])),
            )
            for t in session.tracks
        ]
        return TakesPage(frame.describe(desk, session, state), rows, whole)


def media_check(desk: Desk, session_id: int) -> LiveMediaCheck:
    """The check of all files that goes on, or the newest one."""
    return desk.live.find(session_id, LiveMediaCheck) or LiveMediaCheck()


def _counts(session: Session) -> dict[int, int]:
    """How many takes of each track are not in the bin."""
    db = orm.object_session(session)
    assert db is not None
    query = select(Take.track_id, func.count()).join(Track).where(Track.session_id == session.id, ~Take.binned)
    return {track: count for track, count in db.execute(query.group_by(Take.track_id))}


def _newest(session_id: int, whole: int) -> Select[Take]:
    place = func.row_number().over(partition_by=Take.track_id, order_by=Take.number.desc()).label("place")
    of_session = Track.session_id == session_id, ~Take.binned
    ranked = select(Take.id, Take.track_id, place).join(Track).where(*of_session).subquery()
    query = select(Take).join(ranked, ranked.c.id == Take.id)
    query = query.where((ranked.c.place <= LISTED) | (ranked.c.track_id == whole))
    return query.order_by(Take.track_id, Take.number.desc()).options(selectinload(Take.run))


def _line(take: Take) -> TakeLine:
    rate = take.media.rate_hz
    return TakeLine(
        take.id, take.number, take.run.pass_number, take.run.rating, Path(take.media.path).name,
        clock_text(take.samples, rate), clock_text(take.start, rate),
        take.peak_dbfs if take.media.crc32 else None, take.clips, len(take.run.dropouts), take.run.recovered,
        take.printed, opening_of(take), take.lead_in.samples / rate if take.lead_in else 0.0,
        milliseconds(take.moved_samples, rate),
    )

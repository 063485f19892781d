"""What the Takes stage shows: the takes of each track, the newest first."""

from dataclasses import dataclass
from pathlib import Path

from cattailer.core.patch.ends import in_words, socket_of
from cattailer.core.takes.leadin import Opening
from cattailer.core.time.timeline import clock_text
from cattailer.services.desk.desk import Desk
from cattailer.services.running import frame
from cattailer.services.running.frame import Frame
from cattailer.services.session.reading import load
from cattailer.services.stages.takes.leadin import opening_of
from cattailer.store.models import Take


@dataclass(frozen=True)
class TakeLine:
    """``lead_in`` is how much of it is heard, see ``leadin.opening_of``."""

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
    lead_in: Opening | None
    lead_in_s: float


@dataclass(frozen=True)
class TakeRows:
    """A track; ``feed`` is as printed."""

    id: int
    name: str
    socket: bool
    feed: str
    takes: list[TakeLine]


@dataclass(frozen=True)
class TakesPage:
    frame: Frame
    rows: list[TakeRows]


def show(desk: Desk, session_id: int) -> TakesPage:
    """Raises NotFound."""
    state = desk.engine_state()
    with desk.database.transaction() as db:
        session = load(db, session_id)
        groups = {g.id: g.name for g in session.groups}
        rows = [
            TakeRows(
                t.id, t.name, any(socket_of(f) for f in t.feeds), in_words(tuple(t.feeds), groups),
                [_line(take) for take in reversed(t.takes)],
            )
            for t in session.tracks
        ]
        return TakesPage(frame.describe(desk, session, state), rows)


def _line(take: Take) -> TakeLine:
    rate = take.media.rate_hz
    return TakeLine(
        take.id, take.number, take.run.number, Path(take.media.path).name, clock_text(take.samples, rate),
        clock_text(take.start, rate), take.peak_dbfs, take.clips, len(take.run.dropouts), take.run.recovered,
        opening_of(take), take.lead_in.samples / rate if take.lead_in else 0.0,
    )

"""What lies on the timeline where the page looks: waveforms, bars and dropouts."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Float, cast, select, sql
from sqlalchemy.orm import selectinload

from cattailer.core.errors import Refusal
from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.marks import RATING
from cattailer.core.takes.pieces import Piece
from cattailer.core.time.ruler import Tick, page
from cattailer.media import overview
from cattailer.services.desk.desk import Desk
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import take_counts, tempo_of
from cattailer.services.sounding.pieces import pieces_of
from cattailer.store.kept import Mark
from cattailer.store.models import Media, Run, Take, Track


def waveforms(desk: Desk, session_id: int, start: int, stop: int, columns: int) -> dict[int, list[int]]:
    """For each track id, what is heard in [start, stop), which may begin before 0, as one waveform of ``columns`` pairs
    (of 127)."""
    if not start < stop or not 1 <= columns <= overview.MOST_COLUMNS:
        raise Refusal("That stretch of the timeline cannot be drawn.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        tracks, pieces = take_counts(session), pieces_of(desk, session)
    rows = {track: np.zeros((columns, 2), np.int16) for track in tracks}
    for piece in pieces:
        if piece.start < stop and piece.start + piece.samples > start:
            _draw(rows[piece.track], piece, start, stop)
    return {track: row.ravel().tolist() for track, row in rows.items()}


def dropouts(desk: Desk, session_id: int, start: int, stop: int) -> list[tuple[int, int, list[int]]]:
    """(position, samples, tracks) of what runs lost in [start, stop)."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        scale = session.rate_hz / cast(Run.rate_hz, Float)
        query = select(Run).where(
            Run.session_id == session_id, Run.dropouts != sql.text("'[]'::jsonb"),
            Run.start * scale < stop + 1, (Run.start + Run.samples) * scale > start - 1,
        ).options(selectinload(Run.takes).load_only(Take.track_id))
        lost = [
            (
                rescaled(run.start + d[0], run.rate_hz, session.rate_hz),
                rescaled(d[1], run.rate_hz, session.rate_hz), [take.track_id for take in run.takes],
            )
            for run in db.scalars(query) for d in run.dropouts
        ]
    return sorted(drop for drop in lost if start - drop[1] < drop[0] < stop)


def clips(desk: Desk, session_id: int, start: int, stop: int) -> list[tuple[int, int]]:
    """(position, track) of where takes clipped in [start, stop)."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        scale = session.rate_hz / cast(Media.rate_hz, Float)
        query = select(Take.start, Take.clips_at, Media.rate_hz, Take.track_id).join(Media, Media.id == Take.media_id)
        query = query.join(Track, Track.id == Take.track_id).where(
            Track.session_id == session_id, ~Take.binned, Take.clips > 0,
            Take.start * scale < stop + 1, (Take.start + Take.samples) * scale > start - 1,
        )
        found = [
            (rescaled(at + offset, rate, session.rate_hz), track)
            for at, offsets, rate, track in db.execute(query) for offset in offsets
        ]
    return sorted(clip for clip in found if start <= clip[0] < stop)


def marks(desk: Desk, session_id: int, start: int, stop: int) -> list[tuple[int, str]]:
    """(position, kind) of what somebody marked in [start, stop)."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        query = select(Mark.at, Mark.rate_hz, Mark.kind).where(Mark.session_id == session_id, Mark.kind != RATING)
        found = [(rescaled(at, rate, session.rate_hz), kind) for at, rate, kind in db.execute(query)]
    return [mark for mark in found if start <= mark[0] < stop]


def _draw(row: NDArray[np.int16], piece: Piece, start: int, stop: int) -> None:
    """Adds a piece to the row of its track, shape (columns, 2)."""
    per = (stop - start) / len(row)
    first = max(0, int((piece.start - start) / per))
    last = min(len(row), int((piece.start + piece.samples - start) / per) + 1)
    found = overview.of_wave(Path(piece.path)) if first < last else None
    if found is None:
        return
    low = start + first * per - piece.start + piece.offset
    drawn = overview.window(found, int(low), int(low + (last - first) * per), last - first) >> 8
    part = row[first:last]
    np.minimum(part[:, 0], drawn[:, 0], out=part[:, 0])
    np.maximum(part[:, 1], drawn[:, 1], out=part[:, 1])


@dataclass(frozen=True)
class Window:
    """A stretch of the timeline for drawing, with its ticks; ``range`` is the session's, where it has one."""

    start: int
    stop: int
    ticks: list[Tick]
    range: tuple[int, int] | None


def window(desk: Desk, session_id: int, position: int) -> Window:
    """The page of sixteen bars, or half a minute, that holds a position."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        ends, ticks = (session.range_start, session.range_stop), page(tempo_of(session), session.ruler, position)
    return Window(ticks[0].sample, ticks[-1].sample, ticks[:-1], ends if ends[0] < ends[1] else None)

"""Comparing the takes of a track, in the background: each is read once, and what was found is kept while it holds."""

import threading
from dataclasses import dataclass, field, replace

from sqlalchemy import select
from sqlalchemy.orm import selectinload

from cattailer.core.comps.comparing import ComparedTake, facts, in_order
from cattailer.core.errors import NotNow, Refusal
from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.pieces import Piece
from cattailer.core.time.timeline import TempoMap
from cattailer.media.piecesound import heard_between
from cattailer.services.desk.desk import Desk, log
from cattailer.services.running import frame
from cattailer.services.running.frame import Frame
from cattailer.services.session.reading import get_session, load
from cattailer.services.session.rows import take_counts, tempo_of
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.services.stages.takes.piecesound import track_pieces
from cattailer.services.stages.takes.tightening import notes_of
from cattailer.store.models import Run, Take

MOST_TAKES, MOST_S = 24, 900


@dataclass
class LiveComparing:
    """What is compared, or was last. ``against`` is 0 for the click."""

    track: int = 0
    against: int = 0
    division: int = 2
    total: int = 0
    done: int = 0
    going: bool = False
    rows: list[ComparedTake] = field(default_factory=list)


@dataclass(frozen=True)
class ComparedPage:
    frame: Frame
    tracks: list[tuple[int, str]]
    track: int


def show(desk: Desk, session_id: int, track_id: int = 0) -> ComparedPage:
    """Raises NotFound."""
    state = desk.engine_state()
    with desk.database.transaction() as db:
        session = load(db, session_id)
        counts = take_counts(session)
        tracks = [(t.id, t.name) for t in session.tracks if counts.get(t.id)]
        shown = frame.describe(desk, session, state)
    first = tracks[0][0] if tracks else 0
    return ComparedPage(shown, tracks, track_id if track_id in dict(tracks) else first)


def begin(desk: Desk, session_id: int, track_id: int, against: int = 0, division: int = 2) -> None:
    """The newest takes of a track against the click, or the notes of another. Raises Refusal, NotNow."""
    running = desk.live.find(session_id, LiveComparing)
    if running is not None and running.going:
        raise NotNow("Takes are being compared already. Wait until that is through.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        if not {track_id, *([against] if against else [])} <= {t.id for t in session.tracks}:
            raise Refusal("There is no such track; nothing was compared.", 404)
        query = select(Take).join(Run).where(Take.track_id == track_id, ~Take.binned).options(selectinload(Take.run))
        takes = list(db.scalars(query.order_by(Run.number.desc()).limit(MOST_TAKES)))
        sounds = take_sounds(desk, session, [t.id for t in takes])
        tempo, reference, rate = tempo_of(session), session.reference_hz, session.rate_hz
        others = track_pieces(desk, session, against) if against else []
        rows = [ComparedTake(t.id, t.number, t.run.rating, t.clips, len(t.run.dropouts), None) for t in takes]
        work = []
        for take in takes:
            own = next((s for s in sounds[take.id].stretches if s.first == 0), None) if take.id in sounds else None
            begins = rescaled(take.start, take.media.rate_hz, rate)
            work.append(None if own is None else Piece(
                take.id, track_id, own.path, begins, min(own.stop, MOST_S * rate), own.offset
            ))
    live = LiveComparing(track_id, against, division, len(rows), going=True, rows=rows)
    desk.live.put(session_id, live)
    threading.Thread(target=_run, args=(live, work, others, tempo, reference), daemon=True).start()


def state(desk: Desk, session_id: int, sort: str = "take") -> LiveComparing:
    """What goes on, or was found last, its takes in order."""
    live = desk.live.find(session_id, LiveComparing) or LiveComparing()
    # A copy: the thread that compares goes on writing to its own.
    return replace(live, rows=in_order(live.rows, sort))


def _run(live: LiveComparing, work: list[Piece | None], others: list[Piece], tempo: TempoMap, reference: float) -> None:
    try:
        notes = notes_of(others, tempo.rate_hz)[0] if live.against else None
        for piece in work:
            if piece is not None:
                sound = heard_between([piece], piece.start, piece.start + piece.samples)
                found = facts(sound, piece.start, tempo, live.division, notes, reference)
                live.rows = [
                    ComparedTake(r.take, r.number, r.rating, r.clips, r.dropouts, found) if r.take == piece.take else r
                    for r in live.rows
                ]
            live.done += 1
    except Exception:
        log.exception("comparing takes stumbled")
    finally:
        live.going = False

"""What Cut and join shows: the pieces in use on a track, and the one that is looked at."""

from dataclasses import dataclass

from cattailer.core.comps.comppiece import CompPiece
from cattailer.core.comps.crossing import Meets
from cattailer.core.comps.sounding import TakeSound, crossing
from cattailer.core.comps.tightening import Drift, drift
from cattailer.core.errors import NotFound
from cattailer.core.time.timeline import clock_text
from cattailer.core.units import milliseconds
from cattailer.services.desk.desk import Desk
from cattailer.services.running import frame
from cattailer.services.running.frame import Frame
from cattailer.services.session import comping
from cattailer.services.session.reading import get_session, load
from cattailer.services.session.rows import take_counts, tempo_of
from cattailer.services.sounding.comps import pieces_in_use
from cattailer.services.sounding.meetings import meets_of
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.services.stages.takes.tightening import ticks_of
from cattailer.store.comps import Comp
from cattailer.store.models import Session, Track


@dataclass(frozen=True)
class PieceView:
    """``meets``: another piece ends where this one begins, take ``before``; ``seam`` is then (ms, shape) of what is
    set, None for the one that suits, ``lasts_ms`` how long it takes, and ``crossing`` where both sound, in timeline
    samples."""

    key: int
    layer: int
    start: int
    stop: int
    take: int
    number: int
    gone: bool
    from_text: str
    until_text: str
    length_s: float
    gain_db: float
    flipped: bool
    fade_in_ms: float
    fade_in_shape: str
    fade_out_ms: float
    fade_out_shape: str
    meets: bool
    before: int
    seam: tuple[float, str] | None
    lasts_ms: float
    crossing: tuple[int, int]


@dataclass(frozen=True)
class CutPage:
    frame: Frame
    tracks: list[tuple[int, str]]
    track: int
    name: str
    with_it: list[tuple[int, str]]
    comp: str
    pieces: list[PieceView]
    stop: int
    ticks: list[int]
    drift: Drift

    @property
    def layers(self) -> int:
        return max((p.layer for p in self.pieces), default=0) + 1


def show(desk: Desk, session_id: int, track_id: int = 0, division: int = 1) -> CutPage:
    """Of a track, the first with takes where none is named. Raises NotFound."""
    state = desk.engine_state()
    with desk.database.transaction() as db:
        session = load(db, session_id)
        counts = take_counts(session)
        tracks = [(t.id, t.name) for t in session.tracks if counts.get(t.id)]
        shown = frame.describe(desk, session, state)
        track = next((t for t in session.tracks if t.id == track_id and counts.get(t.id)), None)
        track = track or next((t for t in session.tracks if tracks and t.id == tracks[0][0]), None)
        if track is None:
            return CutPage(shown, [], 0, "", [], "", [], 0, [], Drift(0, 0.0, 0.0))
        views = _views(desk, session, track)
        names = dict(comping.names_of(db, track))
        comp = db.get(Comp, track.comp_id) if track.comp_id is not None else None
        return CutPage(
            shown, tracks, track.id, track.name, [(t.id, t.name) for t in comping.tracks_with(session, track)[1:]],
            names.get(track.comp_id or 0, "the newest on top"), views, max((v.stop for v in views), default=0),
            ticks := ticks_of(comp, session.rate_hz) if comp else [], drift(ticks, tempo_of(session), division),
        )


def piece(desk: Desk, session_id: int, track_id: int, start: int, key: int = 0) -> PieceView:
    """The piece with that key, or without one that begins there. Raises NotFound."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        track = next((t for t in session.tracks if t.id == track_id), None)
        views = _views(desk, session, track) if track else []
        found = next((v for v in views if (v.key == key if key else v.start == start)), None)
    if found is None:
        raise NotFound("No piece begins there any more. Choose one in the picture.")
    return found


def _views(desk: Desk, session: Session, track: Track) -> list[PieceView]:
    pieces, meets = pieces_in_use(session, track.id), meets_of(desk, session)
    sounds = take_sounds(desk, session, {p.take for p in pieces})
    numbers = comping.numbers_of(session, {p.take for p in pieces})
    before: dict[int, CompPiece] = {}
    out = []
    for piece in pieces:
        out.append(_view(session, piece, before.get(piece.layer), sounds, meets, numbers))
        before[piece.layer] = piece
    return out


def _view(
    session: Session, piece: CompPiece, before: CompPiece | None, sounds: dict[int, TakeSound], meets: Meets,
    numbers: dict[int, int],
) -> PieceView:
    rate = session.rate_hz
    before = before if before is not None and before.stop == piece.start else None
    crossed = crossing(before, piece, sounds, rate, meets) if before is not None else None
    lasts = crossed.stop - crossed.start if crossed else 0
    return PieceView(
        piece.key, piece.layer, piece.start, piece.stop, piece.take, numbers.get(piece.take, 0),
        piece.take not in sounds, clock_text(piece.start, rate), clock_text(piece.stop, rate), piece.samples / rate,
        piece.gain_db, piece.flipped, milliseconds(piece.fade_in.samples, rate), piece.fade_in.shape,
        milliseconds(piece.fade_out.samples, rate), piece.fade_out.shape, before is not None,
        numbers.get(before.take, 0) if before is not None else 0,
        (milliseconds(piece.seam.samples, rate), piece.seam.shape) if piece.seam is not None else None,
        milliseconds(lasts, rate), crossed[:2] if crossed else (piece.start, piece.start),
    )

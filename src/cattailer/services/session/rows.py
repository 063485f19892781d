"""A session's rows as what the core works with: its patch, and the plan that the engine runs."""

from sqlalchemy import func, orm, select

from cattailer.core.mix.cells import Cell
from cattailer.core.mix.effects import Effects
from cattailer.core.mix.listening import Listen
from cattailer.core.patch.ends import EVERYWHERE
from cattailer.core.patch.patch import (
    Patch,
    PatchGroup,
    PatchInput,
    PatchMix,
    PatchReturn,
    PatchTrack,
)
from cattailer.core.sound import probe
from cattailer.core.time.timeline import TempoMap
from cattailer.store.measured import RoundTrip
from cattailer.store.models import Input, Route, Session, Take, Track

INPUT_FIELDS = tuple(name for name in PatchInput.__dataclass_fields__ if name != "socket")


def tempo_of(session: Session) -> TempoMap:
    return TempoMap.from_dict(session.rate_hz, session.tempo)


def patch_of(session: Session) -> Patch:
    """The patch as it stands in the database."""
    takes = take_counts(session)
    return Patch(
        tuple(_input(row) for row in session.inputs),
        tuple(
            PatchTrack(
                t.id, t.name, tuple(t.feeds), t.armed, t.fader_db, t.pan, t.colour, t.icon, t.note, takes.get(t.id, 0),
                tuple(t.window_dbfs), t.muted, t.soloed, Listen(t.listen_path, t.listen_when, t.listen_point),
                t.live_db, t.playback_db, Effects.from_dict(t.effects), t.prints,
                t.width_percent, t.balance_db,
            )
            for t in session.tracks
        ),
        tuple(
            PatchGroup(g.id, g.name, g.fader_db, g.muted, g.soloed, Effects.from_dict(g.effects))
            for g in session.groups
        ),
        tuple(
            PatchMix(m.id, m.name, m.kind, tuple(m.outputs), m.fader_db, m.after_fader, tuple(m.own), m.forward_db,
                     m.limit_dbfs, m.limit_by)
            for m in session.mixes
        ),
        tuple((r.start, r.target) for r in session.routes if r.start not in EVERYWHERE),
        tuple(PatchReturn(r.id, r.name, r.fader_db, r.muted, Effects.from_dict(r.effects)) for r in session.returns),
        tuple(c for r in session.routes if (c := cell_of(r)) != Cell(r.start, r.target)),
    )


def cell_of(route: Route) -> Cell:
    return Cell(
        route.start, route.target, route.level_db, route.pan, route.muted, route.path, route.when, route.point
    )


def take_counts(session: Session) -> dict[int, int]:
    """How many takes each track holds, by its id; the takes themselves are not loaded."""
    db = orm.object_session(session)
    if db is None:
        return {}
    key = ("take counts", session.id, session.takes_revision)
    if key not in db.info:
        query = select(Take.track_id, func.count()).join(Track, Track.id == Take.track_id)
        query = query.where(Track.session_id == session.id).group_by(Take.track_id)
        db.info[key] = {track: count for track, count in db.execute(query)}
    counts: dict[int, int] = db.info[key]
    return counts


def _input(row: Input) -> PatchInput:
    return PatchInput(row.socket, **{name: getattr(row, name) for name in INPUT_FIELDS})


def loop_of(session: Session) -> tuple[int, int] | None:
    """The range, where rolling goes round in it; one that is shorter than a block by now, after a change of tempo,
    cannot be gone round in."""
    start, stop = session.range_start, session.range_stop
    return (start, stop) if session.looping and stop - start >= session.period else None


def measured_correction(session: Session) -> int | None:
    """How far the driver is corrected at this interface, rate and buffer, in samples; None where it is believed
    because nothing was measured, or nothing is used."""
    db = orm.object_session(session)
    found = None if db is None else db.scalar(
        select(RoundTrip).where(
            RoundTrip.interface == session.interface, RoundTrip.rate_hz == session.rate_hz,
            RoundTrip.period == session.period, RoundTrip.used,
        ).order_by(RoundTrip.id.desc()).limit(1)
    )
    return probe.correction(found.measured_samples, found.claimed_samples) if found else None

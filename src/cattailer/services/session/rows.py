"""A session's rows as what the core works with: its patch, and the plan that the engine runs."""

from sqlalchemy import orm, select

from cattailer.core.gear.rates import rescaled
from cattailer.core.patch.patch import (
    Patch,
    PatchGroup,
    PatchInput,
    PatchMix,
    PatchTrack,
)
from cattailer.core.sound import probe
from cattailer.core.time.timeline import TempoMap
from cattailer.store.models import Input, RoundTrip, Session

INPUT_FIELDS = tuple(name for name in PatchInput.__dataclass_fields__ if name != "socket")


def tempo_of(session: Session) -> TempoMap:
    return TempoMap.from_dict(session.rate_hz, session.tempo)


def patch_of(session: Session) -> Patch:
    """The patch as it stands in the database."""
    return Patch(
        tuple(_input(row) for row in session.inputs),
        tuple(
            PatchTrack(
                t.id, t.name, tuple(t.feeds), t.armed, t.fader_db, t.pan, t.colour, t.icon, t.note, len(t.takes),
                tuple(t.window_dbfs),
            )
            for t in session.tracks
        ),
        tuple(PatchGroup(g.id, g.name, g.fader_db) for g in session.groups),
        tuple(PatchMix(m.id, m.name, m.kind, tuple(m.outputs), m.fader_db) for m in session.mixes),
        tuple((r.start, r.target) for r in session.routes),
    )


def _input(row: Input) -> PatchInput:
    return PatchInput(row.socket, **{name: getattr(row, name) for name in INPUT_FIELDS})


def end_of_takes(session: Session) -> int:
    """Where the last take ends, at the session's rate; 0 without takes."""
    ends = [
        rescaled(t.start + t.samples, t.media.rate_hz, session.rate_hz) for k in session.tracks for t in k.takes
    ]
    return max(ends, default=0)


def loop_of(session: Session) -> tuple[int, int] | None:
    """The range, where rolling goes round in it."""
    start, stop = session.range_start, session.range_stop
    return (start, stop) if session.looping and start < stop else None


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

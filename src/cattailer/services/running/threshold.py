"""Whether a capture that begins with sound would begin with noise."""

from sqlalchemy import orm, select

from cattailer.core.advice import noise
from cattailer.core.findings import Finding
from cattailer.core.gear.interface import Profile
from cattailer.core.patch.patch import Patch
from cattailer.services.running.capturing import settings_of
from cattailer.store.measured import Check
from cattailer.store.models import Session


def below_noise(session: Session, patch: Patch, profile: Profile) -> list[Finding]:
    """For armed tracks whose noise reaches the threshold: as it was measured last, or as their preamps make it."""
    how = settings_of(session)
    if not how.by_sound:
        return []
    measured = _measured(session)
    out: list[Finding] = []
    for track in (t for t in patch.tracks if t.armed):
        floors = [
            max(measured.get(row.socket, -200.0), noise.parts(profile, row).expected)
            for row in patch.behind(track.feeds, profile.inputs)
        ]
        out += noise.reaches(track.name, max(floors, default=-200.0), how.threshold_dbfs)
    return out


def _measured(session: Session) -> dict[int, float]:
    """Noise floors in dBFS RMS by socket."""
    db = orm.object_session(session)
    query = select(Check.rows).where(Check.session_id == session.id, Check.phase == "noise")
    rows = db.scalar(query.order_by(Check.id.desc()).limit(1)) if db is not None else None
    return {row["socket"]: row["floor_dbfs"] for row in rows or []}

"""Whether preamps are set as they were in the takes that a punch goes into."""

from sqlalchemy import Float, cast, orm, select
from sqlalchemy.dialects.postgresql import distinct_on

from cattailer.core.advice.gainadvice import differs, net_gain_db
from cattailer.core.findings import Finding
from cattailer.core.gear.interface import Profile
from cattailer.core.patch.patch import Patch
from cattailer.core.takes.settings import RANGE
from cattailer.services.running.capturing import settings_of
from cattailer.store.models import Media, Session, Take


def differing(session: Session, patch: Patch, profile: Profile) -> list[Finding]:
    """For armed tracks, where the next capture begins at the range and something lies there."""
    db = orm.object_session(session)
    armed = {t.id: t for t in patch.tracks if t.armed}
    if db is None or not armed or settings_of(session).start != RANGE or session.range_start >= session.range_stop:
        return []
    scale = session.rate_hz / cast(Media.rate_hz, Float)
    query = (
        select(Take.track_id, Take.gain_db, Take.number).join(Media, Media.id == Take.media_id)
        .where(
            Take.track_id.in_(armed), ~Take.binned, Take.gain_db.is_not(None),
            Take.start * scale < session.range_stop, (Take.start + Take.samples) * scale > session.range_start,
        )
        .ext(distinct_on(Take.track_id)).order_by(Take.track_id, Take.number.desc())
    )
    found = []
    for track, was_db, number in db.execute(query):
        rows = patch.behind(armed[track].feeds, profile.inputs)
        if rows and was_db is not None:
            found += differs(armed[track].name, net_gain_db(rows[0], profile), was_db, number)
    return found

"""Takes looked at for a click that leaked into them, one at a time, in the background."""

from dataclasses import dataclass
from itertools import islice
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import orm, select, update

from cattailer.core.patch.ends import socket_of
from cattailer.core.sound.leaking import MOST_TICKS, click_dbfs
from cattailer.core.sound.ticks import ticks_of
from cattailer.core.time.clicking import ClickSettings
from cattailer.core.transport import CAPTURING
from cattailer.media import wavfile
from cattailer.services.desk.desk import Desk, log
from cattailer.services.desk.places import folder_of
from cattailer.services.running.runlog import newest_runs
from cattailer.services.session.editing import count_on
from cattailer.services.session.pushing import push
from cattailer.services.session.reading import load
from cattailer.services.session.rows import patch_of, tempo_of
from cattailer.store.models import Media, Session, Take, Track

NOT_HEARD = -200.0
MOST_S = 240
SAID_DBFS = -80.0
_BY_WIRE = ("DI", "line", "instrument", "software")


@dataclass(frozen=True)
class _Wanted:
    """What is to be looked for in the first ``count`` samples of a take."""

    count: int
    ticks: list[tuple[int, int]]
    waves: list[NDArray[np.float32]]
    rate_hz: int


def look_at_one(desk: Desk) -> int | None:
    """Looks at the newest take that nobody has looked at yet, and notes what was heard; returns the take, None where
    there is none left."""
    with desk.database.transaction() as db:
        row = db.execute(
            select(Take, Media, Session).join(Media, Media.id == Take.media_id).join(Track, Track.id == Take.track_id)
            .join(Session, Session.id == Track.session_id).where(Take.click_dbfs.is_(None))
            .order_by(Take.id.desc()).limit(1)
        ).first()
        if row is None:
            return None
        take, media, session = row
        wanted, path = _wanted(session, take, media), folder_of(desk, session) / media.path
        take_id, session_id = take.id, session.id
    heard = NOT_HEARD
    try:
        if wanted is not None:
            heard = _heard(wanted, path)
    except (OSError, ValueError) as why:
        log.warning("a take cannot be looked at for the click", take=take_id, why=str(why))
    with desk.database.transaction() as db:
        db.execute(update(Take).where(Take.id == take_id).values(click_dbfs=heard))
        if heard > SAID_DBFS:
            count_on(db, load(db, session_id))
    if heard > SAID_DBFS:
        push(desk, session_id)
    return int(take_id)


def _wanted(session: Session, take: Take, media: Media) -> _Wanted | None:
    """None for what was not picked up through the air, or captured without a click."""
    clicking, patch = ClickSettings.from_dict(session.clicking), patch_of(session)
    track = next(t for t in patch.tracks if t.id == take.track_id)
    rows = [row for f in track.feeds if (n := socket_of(f)) and (row := patch.input(n))]
    by_air = bool(rows) and all(row.pickup not in _BY_WIRE for row in rows)
    if not by_air or not session.click or not clicking.sounds_while(CAPTURING) or media.rate_hz != session.rate_hz:
        return None
    count = min(take.samples, MOST_S * session.rate_hz)
    near = clicking.ticks(tempo_of(session), take.start, take.start + count)
    ticks = [(tick.sample - take.start, tick.kind) for tick in islice(near, 2 * MOST_TICKS)]
    return _Wanted(count, ticks, ticks_of(clicking, session.rate_hz), session.rate_hz)


def _heard(wanted: _Wanted, path: Path) -> float:
    sound = wavfile.read(wavfile.inspect(path), 0, wanted.count)
    found = [click_dbfs(channel, wanted.ticks, wanted.waves, wanted.rate_hz) for channel in sound]
    return max((level for level in found if level is not None), default=NOT_HEARD)


def leaked(session: Session) -> list[tuple[int, int, float]]:
    """(track, take's number, peak in dBFS) of the newest run's takes in which the click is heard."""
    db, newest = orm.object_session(session), newest_runs(session)
    if db is None or not newest:
        return []
    query = select(Take.track_id, Take.number, Take.click_dbfs).where(
        Take.run_id == newest[0].id, Take.click_dbfs > SAID_DBFS
    )
    return [(track, number, dbfs or 0.0) for track, number, dbfs in db.execute(query)]



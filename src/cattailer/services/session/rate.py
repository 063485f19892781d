"""The sample rate of a session, and at which rates its files are there."""

from dataclasses import replace

from sqlalchemy import orm, select

from cattailer.core.errors import NotNow
from cattailer.core.gear.rates import rescaled
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import editing
from cattailer.services.session.rows import tempo_of
from cattailer.services.sounding.takefiles import files_of, takes_with_files
from cattailer.store.models import Media, Session


def choose_rate(desk: Desk, session_id: int, rate_hz: int) -> None:
    """Raises NotNow while takes have no file at that rate: they would play at the wrong speed."""
    desk.check_hardware(session_id, "the sample rate")
    with editing(desk, session_id) as edit:
        session = edit.session
        desk.profile(session.interface).check_rate(rate_hz)
        if rate_hz != session.rate_hz and (missing := lacking(edit.db, session, rate_hz)):
            raise NotNow(
                f"{missing} of the files of this session {'is' if missing == 1 else 'are'} not there in "
                f"{rate_hz / 1000:g} kHz, so its rate stays. Timing, Sample rate converts them."
            )
        edit.what = f"Sample rate is {rate_hz / 1000:g} kHz"
        tempo = tempo_of(session)
        session.tempo = replace(tempo, bar_one=rescaled(tempo.bar_one, session.rate_hz, rate_hz)).to_dict()
        session.range_start = rescaled(session.range_start, session.rate_hz, rate_hz)
        session.range_stop = rescaled(session.range_stop, session.rate_hz, rate_hz)
        session.rate_hz = rate_hz


def rates_of(db: orm.Session, session: Session) -> dict[int, set[int]]:
    """For each file of a session that was captured, the rates at which it is there."""
    out: dict[int, set[int]] = {}
    for media in db.scalars(select(Media).where(Media.session_id == session.id)):
        out.setdefault(media.original_id or media.id, set()).add(media.rate_hz)
    return out


def lacking(db: orm.Session, session: Session, rate_hz: int) -> int:
    """How many files of a session's takes are not there at a rate."""
    versions, takes = rates_of(db, session), takes_with_files(db, session)
    return sum(rate_hz not in versions[media.id] for take in takes for media, _ in files_of(take))

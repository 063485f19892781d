"""What was counted in before a take: how much of it is heard, so that an early note is not lost."""

from sqlalchemy import select

from cattailer.core.errors import NotFound, NotNow
from cattailer.core.gear.rates import rescaled
from cattailer.core.time.timeline import TempoMap
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import editing
from cattailer.services.session.rows import tempo_of
from cattailer.store.models import Take

OPENINGS = {"hidden": "nothing", "beat": "the last beat", "all": "all that was counted in"}


def open_lead_in(desk: Desk, session_id: int, take_id: int, how: str) -> None:
    """Lets the last beat of what was counted in be heard before the take, or all of it, or none. For every take of the
    run, so that rows stay together. Raises NotFound, NotNow where nothing was counted in."""
    desk.forbid_while_capturing(session_id, "the front of a take")
    if how not in OPENINGS:
        raise NotFound("There is no such opening; nothing was changed.")
    with editing(desk, session_id) as edit:
        take = edit.db.scalar(select(Take).where(Take.id == take_id))
        if take is None or take.run.session_id != session_id:
            raise NotFound(f"This session has no take with the number {take_id}.")
        if take.lead_in is None:
            raise NotNow("Nothing was counted in before this take, so there is nothing to let in.")
        tempo = tempo_of(edit.session)
        edit.what = f"Heard before the takes of run {take.run.number}: {OPENINGS[how]}"
        for other in take.run.takes:
            if other.lead_in is not None:
                other.lead_in_samples = {"hidden": 0, "beat": min(_beat(tempo, other), other.lead_in.samples),
                                   "all": other.lead_in.samples}[how]


def opening(take: Take) -> str:
    """How much is heard: a key of ``OPENINGS``; empty where nothing was counted in."""
    if take.lead_in is None:
        return ""
    return "hidden" if not take.lead_in_samples else "all" if take.lead_in_samples >= take.lead_in.samples else "beat"


def _beat(tempo: TempoMap, take: Take) -> int:
    """The length of a beat where a take begins, in samples of its file."""
    rate_hz = take.media.rate_hz
    at = tempo.bar_beat_at(rescaled(take.start, rate_hz, tempo.rate_hz))
    return rescaled(tempo.sample_of(at.bar, at.beat + 1) - tempo.sample_of(at.bar, at.beat), tempo.rate_hz, rate_hz)

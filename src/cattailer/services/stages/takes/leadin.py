"""What was counted in before a take: how much is heard, so that an early note is not lost."""

from cattailer.core.errors import NotFound, NotNow
from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.leadin import OPENINGS, Opening, opening, samples_of
from cattailer.core.time.timeline import TempoMap
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import editing
from cattailer.services.session.reading import get_take
from cattailer.services.session.rows import tempo_of
from cattailer.store.models import Take


def open_lead_in(desk: Desk, session_id: int, take_id: int, how: Opening) -> None:
    """Lets the last beat of what was counted in be heard before the take, or all of it, or none. For every take of the
    run, so that rows stay together. Raises NotFound, NotNow where nothing was counted in."""
    desk.forbid_while_capturing(session_id, "the front of a take")
    if how not in OPENINGS:
        raise NotFound("There is no such opening; nothing was changed.")
    with editing(desk, session_id) as edit:
        take = get_take(edit.db, session_id, take_id)
        if take.lead_in is None:
            raise NotNow("Nothing was counted in before this take, so there is nothing to let in.")
        tempo = tempo_of(edit.session)
        edit.what = f"Heard before the takes of run {take.run.number}: {OPENINGS[how][1]}"
        for other in take.run.takes:
            if other.lead_in is not None:
                other.lead_in_samples = samples_of(how, _beat(tempo, other), other.lead_in.samples)


def opening_of(take: Take) -> Opening | None:
    """How much is heard; None where nothing was counted in."""
    return None if take.lead_in is None else opening(take.lead_in_samples, take.lead_in.samples)


def _beat(tempo: TempoMap, take: Take) -> int:
    """The length of a beat where a take begins, in samples of its file."""
    rate_hz = take.media.rate_hz
    at = tempo.bar_beat_at(rescaled(take.start, rate_hz, tempo.rate_hz))
    return rescaled(tempo.sample_of(at.bar, at.beat + 1) - tempo.sample_of(at.bar, at.beat), tempo.rate_hz, rate_hz)

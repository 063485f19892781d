"""Hearing a take in the mix before anybody chooses it."""

from sqlalchemy import select

from cattailer.core.errors import NotNow
from cattailer.core.gear.rates import rescaled
from cattailer.core.transport import ROLLING, STOPPED
from cattailer.services.desk.desk import Desk
from cattailer.services.running import transport
from cattailer.services.session import comping, trying
from cattailer.services.session.reading import get_session, get_take
from cattailer.services.stages.takes.phrasing import get_phrase, stretch_of
from cattailer.store.models import Media, Take


def hear(desk: Desk, session_id: int, take_id: int, phrase_id: int) -> None:
    """The phrase, with everything else, to its end. While it rolls the same again ends it. Raises NotFound, NotNow."""
    desk.forbid_while_capturing(session_id, "another take in the mix")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        take, phrase = get_take(db, session_id, take_id), get_phrase(db, session_id, phrase_id)
        if take.binned:
            raise NotNow("That take is in the bin. Fetch it back to hear it.")
        start, stop = stretch_of(phrase, session)
        tracks = {t.id for t in comping.tracks_with(session, take.track)}
        query = select(Take.track_id, Take.id, Take.start, Media.rate_hz).join(Take.media).where(
            Take.run_id == take.run_id, Take.track_id.in_(tracks)
        )
        wanted = {
            str(track): {
                "take": other, "phrase": phrase.id, "start": start, "stop": stop, "rate_hz": session.rate_hz,
                "begins": rescaled(begins, rate, session.rate_hz),
            }
            for track, other, begins, rate in db.execute(query)
        }
        again = session.hearing == wanted and desk.engine_state().state == STOPPED
    if again or trying.set_tried(desk, session_id, wanted):
        transport.play_from(desk, session_id, start, stop - start)
    elif desk.engine_state().state == ROLLING:
        transport.stop(desk, session_id)

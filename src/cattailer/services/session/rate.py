"""The sample rate of a session, at which rates its files are there, and what stays where it is when the rate or the
tempo changes: on its bar or beat what is music, at its time what is not."""

from sqlalchemy import orm, select

from cattailer.core.errors import NotNow
from cattailer.core.gear.rates import rescaled
from cattailer.core.time.place import Place, as_given, place_at
from cattailer.core.time.timeline import TempoMap
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import editing
from cattailer.services.session.rows import tempo_of
from cattailer.services.sounding.takefiles import files_of, takes_with_files
from cattailer.store.comps import Phrase
from cattailer.store.kept import Mark
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
        put_at(edit.db, session, rate_hz)


def put_at(db: orm.Session, session: Session, rate_hz: int) -> None:
    """Another rate for a session, with bar 1, range, markers and phrases where they are in the music."""
    before = tempo_of(session)
    session.tempo, session.rate_hz = before.to_dict(), rate_hz
    settle(db, session, before)


def settle(db: orm.Session, session: Session, before: TempoMap) -> None:
    """After the tempo map or the rate has changed. Range and phrases are put back by Undo, markers are not."""
    after = tempo_of(session)
    if session.range_start < session.range_stop:
        given = range_of(session, before)
        session.range_start, session.range_stop = given[0].sample(after), given[1].sample(after, until=True)
        session.range_given = [place.to_text() for place in given]
    for phrase in db.scalars(select(Phrase).where(Phrase.session_id == session.id)):
        first, last = phrase_ends(phrase, before)
        if any(phrase.given) or first.seconds is None or last.seconds is None:
            phrase.start, phrase.stop = first.sample(after), last.sample(after, until=True)
            phrase.rate_hz = after.rate_hz
    settle_markers(db, session, before)


def settle_markers(db: orm.Session, session: Session, before: TempoMap) -> None:
    """What was marked in a capture belongs to its sound, and stays at its time."""
    after = tempo_of(session)
    for mark in db.scalars(select(Mark).where(Mark.session_id == session.id, Mark.run == "")):
        kept = place_at(rescaled(mark.at, mark.rate_hz, before.rate_hz), before)
        if kept.seconds is None:
            mark.at, mark.rate_hz = kept.sample(after), after.rate_hz


def range_of(session: Session, tempo: TempoMap) -> tuple[Place, Place]:
    """As they were given; as they are in a map where nobody said so, or a step of the history from before places were
    kept has put others back."""
    first, last = session.range_given or ("", "")
    return as_given(first, session.range_start, tempo), as_given(last, session.range_stop, tempo, until=True)


def phrase_ends(phrase: Phrase, tempo: TempoMap) -> tuple[Place, Place]:
    """As they were given; as they are in a map where nobody typed them."""
    start, stop = (rescaled(at, phrase.rate_hz, tempo.rate_hz) for at in (phrase.start, phrase.stop))
    first, last = phrase.given or ("", "")
    return as_given(first, start, tempo), as_given(last, stop, tempo, until=True)


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

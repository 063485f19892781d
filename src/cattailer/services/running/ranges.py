"""The range of a session: a stretch of the timeline, to go round in, to capture in, to punch."""

from dataclasses import dataclass
from fractions import Fraction

from sqlalchemy import select

from cattailer.core.errors import NotFound, NotNow, Refusal
from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.marks import RATING
from cattailer.core.time import ruler as rulers
from cattailer.core.time.place import Place, place_at
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import Edit, editing
from cattailer.services.session.rate import range_of
from cattailer.services.session.rows import tempo_of
from cattailer.store.kept import Mark
from cattailer.store.models import Run, Session

MOST_S = 24 * 3600


@dataclass(frozen=True)
class RangeView:
    """Where it begins and ends, as the ruler counts; both empty where there is no range."""

    first: str
    last: str
    looping: bool
    ruler: str


def view(session: Session) -> RangeView:
    if session.range_start >= session.range_stop:
        return RangeView("", "", False, session.ruler)
    tempo = tempo_of(session)
    first, last = range_of(session, tempo)
    return RangeView(*_words(session, first, last), session.looping, session.ruler)


def _words(session: Session, first: Place, last: Place) -> tuple[str, str]:
    tempo, bars = tempo_of(session), session.ruler == rulers.BARS
    return first.words(tempo, bars), last.words(tempo, bars, until=True)


def choose_ruler(desk: Desk, session_id: int, ruler: str) -> None:
    """Bars, or minutes and seconds. Raises Refusal."""
    if ruler not in rulers.RULERS:
        raise Refusal(f"The ruler counts {' or '.join(rulers.RULERS.values())}.")
    with editing(desk, session_id) as edit:
        edit.session.ruler = ruler
        edit.what = f"The ruler counts {rulers.RULERS[ruler]}"


def set_range(desk: Desk, session_id: int, first: str, last: str) -> None:
    """From one place to another as people type them, bars and beats included. Raises Refusal for what is no place, for
    a range that is empty, or shorter than the buffer."""
    with editing(desk, session_id) as edit:
        session = edit.session
        tempo, shown = tempo_of(session), view(session)
        ends = zip((first, last), (shown.first, shown.last), range_of(session, tempo), strict=True)
        try:
            given = [rulers.reread(typed, was, place, tempo) for typed, was, place in ends]
        except ValueError as why:
            said = str(why)
            raise Refusal(f"{said[0].upper()}{said[1:]}. The range stayed as it was.") from why
        _set(edit, given[0], given[1])


def set_samples(desk: Desk, session_id: int, start: int, stop: int) -> None:
    """Between two timeline positions, as the ruler was dragged over. Raises Refusal."""
    with editing(desk, session_id) as edit:
        _set_samples(edit, start, stop)


def from_here(desk: Desk, session_id: int, end: str) -> None:
    """The range begins (``end`` "first") or ends ("last") with the bar, or the second, in which the timeline is; the
    other end stays where that leaves a range. Raises Refusal, NotNow."""
    if end not in ("first", "last"):
        raise Refusal("A range has a first and a last end; it stayed as it was.")
    state = desk.engine_state()
    if state.session != session_id:
        raise NotNow("This session is not open, so its timeline is nowhere. Open it, then set the range.")
    with editing(desk, session_id) as edit:
        session = edit.session
        ticks = rulers.page(tempo_of(session), session.ruler, max(0, state.position))
        place = max(n for n, tick in enumerate(ticks[:-1]) if tick.sample <= max(0, state.position))
        here, after = max(0, ticks[place].sample), ticks[place + 1].sample
        start, stop = session.range_start, session.range_stop
        _set_samples(edit, here if end == "first" else min(start, here), after if end == "last" else max(stop, after))


def from_run(desk: Desk, session_id: int, number: int | None = None) -> None:
    """What a take covers; the newest where none is given. Raises NotFound, Refusal."""
    with editing(desk, session_id) as edit:
        query = select(Run).where(Run.session_id == session_id).order_by(Run.number.desc()).limit(1)
        run = edit.db.scalar(query if number is None else query.where(Run.number == number))
        if run is None:
            raise NotFound("There is no such take, so the range stayed as it was.")
        rate = edit.session.rate_hz
        start = rescaled(run.start, run.rate_hz, rate)
        ends = max(0, start), start + rescaled(run.samples, run.rate_hz, rate)
        first, last = (Place(seconds=Fraction(at, rate), lies=True) for at in ends)
        _set(edit, first, last)


def from_mark(desk: Desk, session_id: int, mark_id: int) -> None:
    """From a mark to the next one. Raises NotFound; NotNow where none follows."""
    with editing(desk, session_id) as edit:
        query = select(Mark).where(Mark.session_id == session_id, Mark.kind != RATING)
        rate, found = edit.session.rate_hz, {m.id: m for m in edit.db.scalars(query)}
        if mark_id not in found:
            raise NotFound("That mark is not here any more.")
        places = {i: rescaled(m.at, m.rate_hz, rate) for i, m in found.items()}
        start = places[mark_id]
        after = min((at for at in places.values() if at > start), default=None)
        if after is None:
            raise NotNow("No mark follows this one, so there is no range between two. Set another where it should end.")
        _set_samples(edit, max(0, start), after)


def _set_samples(edit: Edit, start: int, stop: int) -> None:
    """Ends on a line of the grid are that line, where the ruler counts bars; an end that stays is as it was."""
    session, tempo = edit.session, tempo_of(edit.session)
    kept = range_of(session, tempo)

    def place(sample: int, until: bool) -> Place:
        if sample == (session.range_stop if until else session.range_start) and session.range_stop:
            return kept[until]
        if session.ruler == rulers.BARS:
            return place_at(sample, tempo, until)
        return Place(seconds=Fraction(sample, session.rate_hz), lies=True)

    _set(edit, place(start, False), place(stop, True))


def _set(edit: Edit, first: Place, last: Place) -> None:
    session, tempo = edit.session, tempo_of(edit.session)
    start, stop = first.sample(tempo), last.sample(tempo, until=True)
    if not 0 <= start < stop <= MOST_S * session.rate_hz:
        raise Refusal("A range goes from one place to a later one, within 24 hours. It stayed as it was.")
    if stop - start < session.period:
        raise Refusal(
            f"That range lasts {stop - start} samples, less than the buffer of {session.period}: it could not be "
            "looped. It stayed as it was."
        )
    edit.what = f"Range is {' to '.join(_words(session, first, last))}"
    session.range_start, session.range_stop = start, stop
    session.range_given = [first.to_text(), last.to_text()]


def switch_loop(desk: Desk, session_id: int) -> None:
    """Rolling goes round in the range, or no longer. Raises NotNow without a range, or where it is too short."""
    with editing(desk, session_id) as edit:
        session = edit.session
        length = session.range_stop - session.range_start
        if not session.looping and length <= 0:
            raise NotNow("There is no range to loop yet. Type its bars first.")
        if not session.looping and length < session.period:
            raise NotNow("The range is shorter than the buffer by now, so it cannot be looped. Make it longer.")
        session.looping = not session.looping
        edit.what = f"Loop switched {'on' if session.looping else 'off'}"

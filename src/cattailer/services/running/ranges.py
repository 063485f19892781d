"""The range of a session: a stretch of the timeline, for now to go round in while rolling."""

from dataclasses import dataclass

from cattailer.core.errors import NotNow, Refusal
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import editing
from cattailer.services.session.rows import tempo_of
from cattailer.store.models import Session


@dataclass(frozen=True)
class RangeView:
    """``first`` and ``until`` are bars; both 0 where there is no range."""

    first: int
    until: int
    looping: bool


def view(session: Session) -> RangeView:
    if session.range_start >= session.range_stop:
        return RangeView(0, 0, False)
    tempo = tempo_of(session)
    first, last = (tempo.bar_beat_at(s).bar for s in (session.range_start, session.range_stop))
    return RangeView(first, last, session.looping)


def set_range(desk: Desk, session_id: int, first: int, until: int) -> None:
    """From one bar until another. Raises Refusal for a range that is empty, or shorter than the buffer."""
    if not 1 <= first < until <= 100_000:
        raise Refusal("A range goes from a bar until a later one; it stays as it was.")
    with editing(desk, session_id) as edit:
        tempo, session = tempo_of(edit.session), edit.session
        start, stop = tempo.sample_of(first), tempo.sample_of(until)
        if stop - start < session.period:
            raise Refusal(
                f"That range lasts {stop - start} samples, less than the buffer of {session.period}: it could not be "
                "looped. It stays as it was."
            )
        edit.what = f"Range is bars {first} to {until - 1}"
        session.range_start, session.range_stop = start, stop


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

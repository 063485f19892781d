"""Two rows compared, and what is done about it."""

from dataclasses import dataclass

from cattailer.core.advice.pairs import Comparison, compare
from cattailer.core.errors import NotNow, Refusal
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.listening import newest
from cattailer.services.session.editing import editing
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import patch_of

LISTEN_S = 4.0


@dataclass(frozen=True)
class Compared:
    first: int
    second: int
    names: tuple[str, str]
    found: Comparison


def compare_rows(desk: Desk, session_id: int, first: int, second: int) -> Compared:
    """Compares the last seconds at two sockets. Raises NotNow when they are silent, Refusal for wrong sockets."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        patch, profile = patch_of(session), desk.profile_or_blank(session.interface)
    if first == second:
        raise Refusal("Choose two different rows to compare.")
    for socket in (first, second):
        profile.socket(socket)
    got = newest(desk.engine, session_id, [first - 1, second - 1], LISTEN_S)
    if got.count < 0.5 * got.rate_hz or min(float(abs(row).max()) for row in got.sound) < 1e-4:
        raise NotNow("One of the two is silent. Ask for sound at both, then compare again.")
    rows = {i.socket: i for i in patch.inputs}
    names = tuple(rows[s].name if s in rows and rows[s].name else f"socket {s}" for s in (first, second))
    return Compared(first, second, (names[0], names[1]), compare(got.sound[0], got.sound[1], got.rate_hz))


def note_offset(desk: Desk, session_id: int, first: int, second: int, samples: float, cm: float) -> None:
    """Notes at the later socket how far it lies behind the other, for whoever lines the takes up."""
    late, early = (second, first) if samples >= 0 else (first, second)
    with editing(desk, session_id) as edit:
        row, other = edit.input(late), edit.input(early)
        text = f"{abs(samples):.1f} samples ({abs(cm):.0f} cm) behind {other.label or f'socket {early}'}"
        edit.what = f"Noted at socket {late}: {text}"
        kept = [part for part in row.note.split(" · ") if part and " behind " not in part]
        row.note = " · ".join([*kept, text])

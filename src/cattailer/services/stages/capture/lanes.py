"""What lies on the timeline where the page looks: waveforms, bars and dropouts."""

from dataclasses import dataclass
from pathlib import Path

from cattailer.core.errors import Refusal
from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.pieces import topmost
from cattailer.media import overview
from cattailer.services.desk.desk import Desk
from cattailer.services.session.compiling import take_spans
from cattailer.services.session.overviews import MOST_COLUMNS, levels_of
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import loop_of, tempo_of


def waveforms(desk: Desk, session_id: int, start: int, stop: int, columns: int) -> dict[int, list[int]]:
    """For each track id, what is heard in [start, stop) as one waveform of ``columns`` pairs (of 127)."""
    if not 0 <= start < stop or not 1 <= columns <= MOST_COLUMNS:
        raise Refusal("That stretch of the timeline cannot be drawn.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        spans = {track.id: take_spans(desk, session, track) for track in session.tracks}
    out = {}
    for track_id, of_track in spans.items():
        row = [0] * (2 * columns)
        for piece in topmost(of_track):
            _draw(row, piece.path, piece.start, piece.samples, piece.offset, start, stop, columns)
        if of_track:
            out[track_id] = row
    return out


def dropouts(desk: Desk, session_id: int, start: int, stop: int) -> list[tuple[int, int, list[int]]]:
    """(position, samples, tracks) of what runs lost in [start, stop)."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        lost = [
            (
                rescaled(run.start + d[0], run.rate_hz, session.rate_hz),
                rescaled(d[1], run.rate_hz, session.rate_hz), [take.track_id for take in run.takes],
            )
            for run in session.runs for d in run.dropouts
        ]
    return sorted(drop for drop in lost if start - drop[1] < drop[0] < stop)


def _draw(
    row: list[int], path: str, at: int, samples: int, offset: int, start: int, stop: int, columns: int
) -> None:
    per = (stop - start) / columns
    first = max(0, int((at - start) / per))
    last = min(columns, int((at + samples - start) / per) + 1)
    if first >= last:
        return
    low = start + first * per - at + offset
    pairs = overview.window(levels_of(Path(path)), int(low), int(low + (last - first) * per), last - first) >> 8
    for n, (a, b) in enumerate(pairs.tolist(), first):
        row[2 * n], row[2 * n + 1] = min(row[2 * n], a), max(row[2 * n + 1], b)


WINDOW_BARS = 16


@dataclass(frozen=True)
class Window:
    """A stretch of the timeline for drawing: ``bars`` are (number, sample), ``range`` is what rolling goes round in."""

    start: int
    stop: int
    bars: list[tuple[int, int]]
    range: tuple[int, int] | None


def window(desk: Desk, session_id: int, position: int) -> Window:
    """The page of sixteen bars that holds a position."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        tempo, loop = tempo_of(session), loop_of(session)
    first = (tempo.bar_beat_at(position).bar - 1) // WINDOW_BARS * WINDOW_BARS + 1
    bars = [(bar, tempo.sample_of(bar)) for bar in range(first, first + WINDOW_BARS + 1)]
    return Window(bars[0][1], bars[-1][1], bars[:-1], loop)

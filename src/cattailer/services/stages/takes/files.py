"""Takes: listing, their files, and what their waveforms look like."""

from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import select

from cattailer.core.errors import NotFound, Refusal
from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.pieces import topmost
from cattailer.media import overview, wavfile
from cattailer.media.recovery import overview_path
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import get_session
from cattailer.services.session.planning import take_spans
from cattailer.store.models import Take

MOST_COLUMNS = 4000


@dataclass(frozen=True)
class TakeFile:
    path: Path
    download_name: str


def take_file(desk: Desk, session_id: int, take_id: int) -> TakeFile:
    """Raises NotFound when the take is unknown or its file is gone."""
    with desk.database.transaction() as db:
        take = _take(db.scalar(select(Take).where(Take.id == take_id)), session_id, take_id)
        session = get_session(db, session_id)
        path = desk.media / session.folder / take.media.path
    if not path.is_file():
        raise NotFound(f"The file of this take is not at {path}. If it was moved, put it back; nothing was changed.")
    return TakeFile(path, path.name)


def take_waveform(desk: Desk, session_id: int, take_id: int, columns: int) -> list[int]:
    """Lowest and highest value (of 127) of each column, for the whole take."""
    if not 1 <= columns <= MOST_COLUMNS:
        raise Refusal(f"A waveform has 1 to {MOST_COLUMNS} columns, not {columns}.")
    with desk.database.transaction() as db:
        take = _take(db.scalar(select(Take).where(Take.id == take_id)), session_id, take_id)
        session = get_session(db, session_id)
        path, samples = desk.media / session.folder / take.media.path, take.samples
    levels = _levels(path)
    if not levels:
        return [0] * (2 * columns)
    return [int(v) for v in (overview.window(levels, 0, samples, columns) >> 8).ravel()]


def lanes(desk: Desk, session_id: int, start: int, stop: int, columns: int) -> dict[int, list[int]]:
    """For each track id, what is heard in [start, stop) as one waveform of ``columns`` pairs (of 127)."""
    if not 0 <= start < stop or not 1 <= columns <= MOST_COLUMNS:
        raise Refusal("That stretch of the timeline cannot be drawn.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        spans = {track.id: take_spans(desk, session, track) for track in session.tracks}
    out = {}
    for track_id, mine in spans.items():
        row = [0] * (2 * columns)
        for piece in topmost(mine):
            _draw(row, piece.path, piece.start, piece.samples, piece.offset, start, stop, columns)
        if mine:
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
    pairs = overview.window(_levels(Path(path)), int(low), int(low + (last - first) * per), last - first) >> 8
    for n, (a, b) in enumerate(pairs.tolist(), first):
        row[2 * n], row[2 * n + 1] = min(row[2 * n], a), max(row[2 * n + 1], b)


def _levels(path: Path) -> list[overview.Extremes]:
    """The stored overview; made anew when it is gone, nothing when the sound is gone too."""
    stored = overview_path(path)
    try:
        return overview.load(stored)
    except (OSError, ValueError):
        try:
            base = overview.of_file(wavfile.inspect(path))
        except (OSError, wavfile.NotAWave):
            return [overview.OverviewBuilder(1).base()]
        stored.parent.mkdir(exist_ok=True)
        overview.save(stored, base)
        return overview.pyramid(base)


def _take(take: Take | None, session_id: int, take_id: int) -> Take:
    if take is None or take.run.session_id != session_id:
        raise NotFound(f"This session has no take with the number {take_id}.")
    return take

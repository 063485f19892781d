"""Takes: listing, their files, and what their waveforms look like."""

from dataclasses import dataclass
from pathlib import Path

from cattailer.core.errors import NotFound, Refusal
from cattailer.media import overview
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.places import folder_of
from cattailer.services.session.reading import get_session, get_take


@dataclass(frozen=True)
class TakeFile:
    path: Path
    download_name: str


def take_file(desk: Desk, session_id: int, take_id: int) -> TakeFile:
    """Raises NotFound when the take is unknown or its file is gone."""
    with desk.database.transaction() as db:
        take = get_take(db, session_id, take_id)
        session = get_session(db, session_id)
        path = folder_of(desk, session) / take.media.path
    if not path.is_file():
        raise NotFound(f"The file of this take is not at {path}. If it was moved, put it back; nothing was changed.")
    return TakeFile(path, path.name)


def take_waveform(desk: Desk, session_id: int, take_id: int, columns: int) -> list[int]:
    """Lowest and highest value (of 127) of each column, for the whole take."""
    if not 1 <= columns <= overview.MOST_COLUMNS:
        raise Refusal(f"A waveform has 1 to {overview.MOST_COLUMNS} columns, not {columns}.")
    with desk.database.transaction() as db:
        take = get_take(db, session_id, take_id)
        session = get_session(db, session_id)
        path, samples = folder_of(desk, session) / take.media.path, take.samples
    found = overview.of_wave(path)
    if found is None:
        return [0] * (2 * columns)
    return [int(v) for v in (overview.window(found, 0, samples, columns) >> 8).ravel()]

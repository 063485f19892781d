"""The bin and what is folded away: what it is, what it takes on the disk, and what hangs on it."""

from dataclasses import dataclass

from sqlalchemy import orm, select

from cattailer.services.desk.desk import Desk
from cattailer.services.running import binning, frame
from cattailer.services.running.binning import Binned
from cattailer.services.running.frame import Frame
from cattailer.services.session.reading import load
from cattailer.store.models import Media, Run, Take


@dataclass(frozen=True)
class Folded:
    """A run that is folded away on the comp sheet; ``comps`` hold pieces of it."""

    number: int
    tracks: int
    bytes: int
    comps: tuple[str, ...]


@dataclass(frozen=True)
class BinPage:
    """``bytes`` is what of the bin can be deleted."""

    frame: Frame
    bin: list[Binned]
    folded: list[Folded]
    bytes: int
    track: int = 0


def show(desk: Desk, session_id: int) -> BinPage:
    """Raises NotFound."""
    state = desk.engine_state()
    with desk.database.transaction() as db:
        session = load(db, session_id)
        found = binning.in_bin(db, session_id)
        return BinPage(
            frame.describe(desk, session, state), found, _folded(db, session_id), sum(b.bytes for b in found)
        )


def _folded(db: orm.Session, session_id: int) -> list[Folded]:
    query = (
        select(Run.number, Take.id, Media)
        .join(Take, Take.run_id == Run.id).join(Media, Media.id == Take.media_id)
        .where(Run.session_id == session_id, Run.folded, ~Take.binned).order_by(Run.number.desc())
    )
    by_run: dict[int, list[tuple[int, Media]]] = {}
    for number, take, media in db.execute(query):
        by_run.setdefault(number, []).append((take, media))
    heard = binning.heard_in(db, session_id) if by_run else {}
    return [
        Folded(
            number, len(takes), sum(binning.bytes_of(media) for _, media in takes),
            tuple(sorted({words for take, _ in takes for words in heard.get(take, ())})),
        )
        for number, takes in by_run.items()
    ]

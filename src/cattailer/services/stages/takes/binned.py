"""The bin and what is folded away: what it is, what it takes on the disk, and what hangs on it."""

from dataclasses import dataclass

from sqlalchemy import BigInteger, cast, func, orm, select

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
    size = Media.samples * Media.channels * ((Media.bits + 7) // 8)
    query = (
        select(Run.number, func.array_agg(Take.id), cast(func.sum(size), BigInteger))
        .join(Take, Take.run_id == Run.id).join(Media, Media.id == Take.media_id)
        .where(Run.session_id == session_id, Run.folded, ~Take.binned)
        .group_by(Run.number).order_by(Run.number.desc())
    )
    found = list(db.execute(query))
    heard = binning.heard_in(db, session_id) if found else {}
    return [
        Folded(number, len(takes), size, tuple(sorted({words for take in takes for words in heard.get(take, ())})))
        for number, takes, size in found
    ]

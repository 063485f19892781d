"""Reading a run's files again after it, off the engine: they must hold what was written. Only then does what lay there
before go to the bin, where that is wanted."""

from pathlib import Path

from sqlalchemy import orm, select

from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.over import ONLY, REPLACE, Fate, fate
from cattailer.media import wavfile
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.places import folder_of
from cattailer.services.keeping.captured import made_way
from cattailer.services.session.pushing import push
from cattailer.services.session.reading import get_session
from cattailer.store.models import Run, Session, Take

YES, EARLIER = "yes", "earlier"
"""What runs are that were captured before anybody read them again."""


def verify_one(desk: Desk) -> bool:
    """The newest run that nobody looked at yet; whether there was one. Files that are still being measured wait."""
    with desk.database.transaction() as db:
        query = select(Run).where(Run.verified == "", ~Run.takes.any(Take.media.has(crc32="")))
        run = db.scalar(query.order_by(Run.id.desc()).limit(1))
        if run is None:
            return False
        folder = folder_of(desk, db.get_one(Session, run.session_id))
        files = [(folder / t.media.path, t.media.samples, t.media.crc32) for t in run.takes]
        run_id, session_id = run.id, run.session_id
    wrong = [words for path, samples, crc32 in files if (words := what_is_wrong(path, samples, crc32))]
    with desk.database.transaction() as db:
        session, run = get_session(db, session_id, lock=True), db.get_one(Run, run_id)
        with made_way(db, session, run):
            if not wrong:
                _make_way(db, run)
        run.verified = "; ".join(wrong) or YES
    push(desk, session_id)
    return True


def what_is_wrong(path: Path, samples: int, crc32: str) -> str:
    """Empty where a file holds what was written to it."""
    try:
        info = wavfile.inspect(path)
        if info.frames != samples:
            return f"{path.name} holds {info.frames} samples and not {samples}"
        found = wavfile.checksum(info)
    except FileNotFoundError:
        return f"{path.name} is not there"
    except (OSError, ValueError) as why:
        return f"{path.name} cannot be read ({why})"
    return "" if found == crc32 else f"{path.name} is not as it was written"


def _make_way(db: orm.Session, run: Run) -> None:
    """Puts into the bin what the run replaces, of older takes on its tracks."""
    if run.over not in (ONLY, REPLACE):
        return
    stretch = run.start, run.start + run.samples
    for take in (t for t in run.takes if not t.binned):  # what was discarded meanwhile replaces nothing
        older = select(Take).join(Run).where(
            Take.track_id == take.track_id, Run.number < run.number, Run.roll != run.roll, ~Take.binned
        )
        for other in db.scalars(older):
            rate = other.media.rate_hz
            here = rescaled(stretch[0], run.rate_hz, rate), rescaled(stretch[1], run.rate_hz, rate)
            becomes = fate(run.over, here, (other.start, other.start + other.samples))
            if becomes == Fate.BIN:
                other.binned, other.binned_by = True, run.id
            elif becomes == Fate.CUT and [*here, run.id] not in other.cuts:
                other.cuts = [*other.cuts, [*here, run.id]]

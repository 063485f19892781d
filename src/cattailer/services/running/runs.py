"""Entering runs: what the journals say becomes runs, takes and media in the database.

A run that broke off is mended first. Each run is handled alone, so what is wrong with one is no matter to the others.
"""

import threading
import time
from contextlib import suppress
from dataclasses import replace
from datetime import datetime
from pathlib import Path

from sqlalchemy import func, select
from sqlalchemy.exc import DataError, IntegrityError

from cattailer.core.errors import NotFound
from cattailer.core.takes.importing import IMPORTED
from cattailer.core.takes.settings import CaptureSettings
from cattailer.core.transport import captures
from cattailer.media import journal, recovery, wavfile
from cattailer.media.journal import LEAD_IN_MARK, RunStory
from cattailer.media.recovery import Report, Trouble
from cattailer.services.desk import places
from cattailer.services.desk.desk import Desk, log
from cattailer.services.desk.places import folder_of
from cattailer.services.keeping.captured import captured
from cattailer.services.running.entering import enter_late, enter_lead_out, enter_takes, mark_ends, rate
from cattailer.services.session.comping import captured_over
from cattailer.services.session.pushing import push
from cattailer.services.session.tracks import remove_made_for
from cattailer.store.models import Media, Run, Session, Take

NOT_ENTERED = "This run cannot be entered ({}). Its files are left as they are."
FRESH_S = 5.0
"""A journal so young may still be in the making."""


class LiveJournals:
    """Which journals need no look any more, and what is wrong with others; one for all sessions, under 0."""

    def __init__(self) -> None:
        self.settled: set[Path] = set()
        self.troubles: dict[Path, Trouble] = {}
        self.entering = threading.Lock()


def journals_of(desk: Desk) -> LiveJournals:
    return desk.live.of(0, LiveJournals)


def troubles(desk: Desk) -> list[Trouble]:
    """Journals and files that cannot be used, in order."""
    found = journals_of(desk).troubles
    return [found[path] for path in sorted(found)]


def enter_finished(desk: Desk, paths: list[Path] | None = None) -> list[RunStory]:
    """Mends what broke off and enters every run that is not in the database yet; twice changes nothing.

    Journals that were settled before are not read again. Raises OperationalError when the database is away.
    """
    known = journals_of(desk)
    with known.entering:
        found = _all(desk) if paths is None else paths
        if paths is None:
            _settle(desk, [path for path in found if path not in known.settled])
        for gone in set(known.troubles) - set(found) if paths is None else ():
            del known.troubles[gone]
        return [story for path in found if path not in known.settled and (story := _look(desk, path)) is not None]


def _all(desk: Desk) -> list[Path]:
    with desk.database.transaction() as db:
        below = places.roots(desk, db)
    return [path for root in below for path in journal.find_all(root)]


def _settle(desk: Desk, paths: list[Path]) -> None:
    """Journals of runs that the database has need no look any more."""
    if not paths:
        return
    with desk.database.transaction() as db:
        entered = set(db.scalars(select(Run.uuid)))
    for path in paths:
        with suppress(OSError):
            run, ended = journal.glance(path)
            if ended and (run in entered or run.removesuffix(LEAD_IN_MARK) in entered):
                journals_of(desk).settled.add(path)


def _look(desk: Desk, path: Path) -> RunStory | None:
    """The run of a journal if it is entered now."""
    known = journals_of(desk)
    known.troubles.pop(path, None)
    try:
        mended = recovery.mend_run(path)
        if mended is not None and not mended.story.samples:
            _forget_import(desk, mended.story)
            return None
        story = journal.read(path) if mended is None else mended.story
        if not story.ended:
            return None
        if story.header.after and story.samples and not enter_lead_out(desk, story):
            return None  # its run is not there yet
        if story.header.joins and story.samples and not enter_late(desk, story):
            return None
        entered = not story.header.apart and story.samples > 0 and _enter(desk, story)
        known.settled.add(path)
        if entered:
            for other in set(journal.find_all(story.folder)) - known.settled:
                _look(desk, other)  # what belongs to it and was ready earlier
        return story if entered else None
    except FileNotFoundError:  # it was taken away meanwhile: nothing was captured in it
        return None
    except (journal.Unreadable, OSError, ValueError, IntegrityError, DataError) as why:
        young = False
        with suppress(OSError):
            young = time.time() - path.stat().st_mtime < FRESH_S
        if not young:
            says = str(why) if isinstance(why, journal.Unreadable) else NOT_ENTERED.format(why)
            known.troubles[path] = Trouble(path, says)
            log.warning("a run cannot be entered", path=str(path), why=str(why))
        return None


def recover(desk: Desk | None, media: Path) -> Report:
    """Mends and enters the runs that a crash cut short. Without a desk the files are mended only."""
    settled = journals_of(desk).settled if desk is not None else set()
    report = recovery.mend_all(media, settled.__contains__)
    report.mended = [m for m in report.mended if not m.story.header.apart]
    if desk is not None:
        for story in report.taken_away:
            _forget_import(desk, story)
        enter_finished(desk)
        report.troubles += [t for t in troubles(desk) if t.path not in {r.path for r in report.troubles}]
    return report


def _forget_import(desk: Desk, story: RunStory) -> None:
    """An import that a crash broke off was taken away: so are the tracks that were made for it, unless they hold
    something by now."""
    if story.header.note != IMPORTED or story.samples:
        return
    made = {file.track for file in story.header.files}
    with suppress(NotFound):
        remove_made_for(desk, story.header.session, made, "the import was interrupted")


def _enter(desk: Desk, story: RunStory) -> bool:
    header, state = story.header, desk.engine_state()
    going_on = state.session == header.session and captures(state.state)
    with desk.database.transaction() as db:
        session = db.scalar(select(Session).where(Session.id == header.session).with_for_update())
        if session is None:
            raise ValueError("its session is not in this database; the files are left as they are")
        if db.scalar(select(Run.id).where(Run.uuid == header.run)) is not None:
            return False
        number, message = header.number, story.message
        of_session = Run.session_id == session.id
        if db.scalar(select(Run.id).where(of_session, Run.number == number)) is not None:
            number = 1 + (db.scalar(select(func.max(Run.number)).where(of_session)) or 0)
            message = f"{message} Its number, {header.number}, was another run's already.".strip()
        run = Run(
            uuid=header.run, session_id=session.id, number=number, start=header.start, samples=story.samples,
            rate_hz=header.rate_hz, began_at=datetime.fromisoformat(header.began_at), message=message,
            note=header.note, recovered=story.recovered, period=header.period,
            dropouts=[[d.offset, d.samples, d.load, d.cause] for d in story.dropouts],
            round_trip_samples=header.round_trip_samples, claimed_samples=header.claimed_samples,
            roll=header.roll or header.run, pass_number=header.pass_number, over=header.over,
            waved=list(header.waved), goes_on=header.goes_on,
        )
        db.add(run)
        enter_takes(desk, db, session, story, run)
        db.flush()
        made = "recovered" if story.recovered else "captured"
        what = f"Take {number}: {header.note}" if header.note else f"Take {number} {made}"
        how = CaptureSettings.from_dict(session.capturing)
        with captured(db, session, run, run.takes, what):
            captured_over(db, session, run)
            if how.disarms and not going_on:
                _disarm(session)
        rate(db, run)
        if how.marks:
            mark_ends(db, run)
    push(desk, header.session)
    return True


def _disarm(session: Session) -> None:
    """After a run, where the session wants it; a locked track stays as it is."""
    for track in session.tracks:
        track.armed = track.armed and track.locked


def measure_one(desk: Desk, passed_over: set[int]) -> bool:
    """Peak, clips, checksum and overview of one file that a crash or a full disk left without; whether there was one.

    ``passed_over`` gathers files that cannot be measured.
    """
    with desk.database.transaction() as db:
        query = select(Media, Session).join(Session, Session.id == Media.session_id)
        row = db.execute(query.where(Media.crc32 == "", Media.id.not_in(passed_over)).limit(1)).first()
        if row is None:
            return False
        media, path = row[0], folder_of(desk, row[1]) / row[0].path
    passed_over.add(media.id)
    try:
        end = replace(recovery.measure(wavfile.inspect(path)), path=media.path)
    except (OSError, ValueError) as why:
        log.warning("a file cannot be measured", path=str(path), why=str(why))
        return True
    with desk.database.transaction() as db:
        db.get_one(Media, media.id).crc32 = end.crc32
        for take in db.scalars(select(Take).where(Take.media_id == media.id)):
            take.peak_dbfs, take.clips, take.clips_at = end.peak_dbfs, end.clips, list(end.clips_at)
    return True

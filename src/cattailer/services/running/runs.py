"""Entering runs: what the journals say becomes runs, takes and media in the database."""

from datetime import datetime
from pathlib import Path

from sqlalchemy import func, orm, select
from sqlalchemy.exc import IntegrityError

from cattailer.media import journal, recovery, wavfile
from cattailer.media.journal import LEAD_IN_FOLDER
from cattailer.services.desk.desk import Desk, log
from cattailer.services.session.editing import enter
from cattailer.services.session.pushing import push
from cattailer.store.models import Media, Run, Session, Take, Track


def enter_finished(desk: Desk, paths: list[Path] | None = None) -> list[journal.RunStory]:
    """Enters every ended run that is not in the database yet; doing it twice changes nothing."""
    entered = []
    with desk.database.transaction() as db:
        known = set(db.scalars(select(Run.uuid)))
    for path in journal.find_all(desk.media) if paths is None else paths:
        story = journal.read(path)
        if story is None or not story.ended or story.header.lead_in_of or story.header.run in known:
            continue
        try:
            if _enter(desk, story):
                entered.append(story)
        except IntegrityError:
            log.info("run was entered by another process", run=story.header.run)
    return entered


def recover(desk: Desk | None, media: Path) -> list[journal.RunStory]:
    """Mends and enters the runs that a crash cut short. Without a desk the files are mended only."""
    mended = []
    for path in journal.find_all(media):
        before = journal.read(path)
        if before is None or before.ended:
            continue
        story = recovery.mend_run(path)
        if story is not None and not story.header.lead_in_of:
            mended.append(story)
    if desk is not None:
        enter_finished(desk)
    return mended


def _enter(desk: Desk, story: journal.RunStory) -> bool:
    header = story.header
    with desk.database.transaction() as db:
        session = db.scalar(select(Session).where(Session.id == header.session).with_for_update())
        if session is None:
            log.warning("run of an unknown session left alone", path=str(story.path))
            return False
        if db.scalar(select(Run.id).where(Run.uuid == header.run)) is not None:
            return False
        root = desk.media / session.folder
        run = Run(
            uuid=header.run, session_id=session.id, number=header.number, start=header.start, samples=story.samples,
            rate_hz=header.rate_hz, began_at=datetime.fromisoformat(header.began_at), message=story.message,
            note=header.note, recovered=story.recovered, period=header.period,
            dropouts=[[d.offset, d.samples, d.load] for d in story.dropouts],
            round_trip_samples=header.round_trip_samples, claimed_samples=header.claimed_samples,
        )
        db.add(run)
        ends = {end.path: end for end in story.files}
        lead_ins = _lead_ins(db, session, root, story)
        for file in header.files:
            path, end = story.folder / file.path, ends.get(file.path)
            track = db.get(Track, file.track)
            if end is None or track is None or not path.is_file() or not story.samples:
                continue
            media = _media(session, root, path, end)
            last = db.scalar(select(func.max(Take.number)).where(Take.track_id == track.id)) or 0
            db.add(Take(
                track=track, run=run, media=media, number=last + 1, start=header.start, samples=media.samples,
                lead_in=lead_ins.get(file.path),
                peak_dbfs=end.peak_dbfs, clips=end.clips, source=file.source, gain_db=file.gain_db,
            ))
            db.flush()
        name = f"Run {header.number}{f' ({header.note})' if header.note else ''}"
        what = f"{name} {'recovered' if story.recovered else 'captured'}"
        enter(db, session, what, "fixed", {}, {"run": header.run})
    push(desk, header.session)
    return True


def _lead_ins(db: orm.Session, session: Session, root: Path, story: journal.RunStory) -> dict[str, Media]:
    """What was counted in before a run, by the name of the file that it lies before; enters it with the run."""
    path = story.folder / LEAD_IN_FOLDER / story.path.name
    before = journal.read(path) if path.is_file() else None
    if before is None or not before.ended or before.header.lead_in_of != story.header.run or not before.samples:
        return {}
    found = {}
    for end in before.files:
        file = before.folder / end.path
        if file.is_file():
            found[end.path] = _media(session, root, file, end)
            db.add(found[end.path])
    return found


def _media(session: Session, root: Path, path: Path, end: journal.FileEnd) -> Media:
    info = wavfile.inspect(path)
    return Media(
        session_id=session.id, path=str(path.relative_to(root)), channels=info.format.channels,
        bits=info.format.bits, rate_hz=info.format.rate_hz, samples=info.frames, crc32=end.crc32,
    )

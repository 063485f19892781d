"""What the files of a run become: takes and media in the database, and what belongs to them."""

from contextlib import suppress
from pathlib import Path

from sqlalchemy import orm, select

from cattailer.core.takes.marks import END, RATING, START
from cattailer.media import journal, recovery, wavfile
from cattailer.media.journal import LEAD_IN_FOLDER, FileEnd, RunFile, RunStory
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.places import folder_of, kept_as
from cattailer.services.keeping.captured import captured
from cattailer.services.session.comping import captured_over
from cattailer.services.session.editing import count_on, takes_changed
from cattailer.services.session.pushing import push
from cattailer.services.session.reading import get_session
from cattailer.store.kept import Mark
from cattailer.store.models import Media, Run, Session, Take, Track


def enter_takes(
    desk: Desk, db: orm.Session, session: Session, story: RunStory, run: Run, start: int | None = None
) -> None:
    """A take for each file that holds something; a file that cannot be read is named in the run's message."""
    root, ends = folder_of(desk, session), {end.path: end for end in story.files}
    lead_ins = _lead_ins(db, session, root, story)
    for file in story.header.files:
        end = ends.get(file.path)
        track = db.scalar(select(Track).where(Track.id == file.track, Track.session_id == session.id))
        if end is None or track is None or end.samples == 0:
            continue
        try:
            media = _media(session, root, story.folder / file.path, end)
        except (OSError, ValueError) as why:
            run.message = f"{run.message} {file.path} cannot be used ({_short(why)}).".strip()
            continue
        if media.samples:
            db.add(media)
            _take(db, track, run, media, lead_ins.get(file.path), file, end, run.start if start is None else start)


def _take(
    db: orm.Session, track: Track, run: Run, media: Media, lead_in: Media | None, file: RunFile, end: FileEnd,
    start: int,
) -> None:
    db.add(Take(
        track_id=track.id, run=run, media=media, number=run.number, start=start, samples=media.samples,
        lead_in=lead_in, peak_dbfs=end.peak_dbfs, clips=end.clips, source=file.source, gain_db=file.gain_db,
        printed=file.prints, preamp=file.preamp, clips_at=list(end.clips_at),
    ))
    db.flush()


def rate(db: orm.Session, run: Run) -> None:
    """What somebody thought of it while it was captured."""
    said = list(db.scalars(select(Mark).where(Mark.run == run.uuid, Mark.kind == RATING).order_by(Mark.id)))
    for mark in said:
        run.rating = mark.text
        db.delete(mark)


def mark_ends(db: orm.Session, run: Run) -> None:
    """Where it began and where it ended."""
    for kind, at, words in ((START, run.start, "begins"), (END, run.start + run.samples, "ends")):
        db.add(Mark(
            session_id=run.session_id, at=at, rate_hz=run.rate_hz, kind=kind, text=f"take {run.number} {words}",
            run=run.uuid,
        ))


def enter_late(desk: Desk, story: RunStory) -> bool:
    """Tracks that were armed while their run was captured; whether that is there."""
    with desk.database.transaction() as db:
        run = db.scalar(select(Run).where(Run.uuid == story.header.joins))
        if run is None:
            return False
        session = get_session(db, run.session_id, lock=True)
        if {t.track_id for t in run.takes} & {f.track for f in story.header.files}:
            return True
        enter_takes(desk, db, session, story, run, story.header.start)
        run.verified = ""  # their files were not read again yet
        db.flush()
        db.refresh(run, ["takes"])
        on, names = {f.track for f in story.header.files}, ", ".join(f.name for f in story.header.files)
        late = [take for take in run.takes if take.track_id in on]
        with captured(db, session, run, late, f"{names} joined take {run.number}"):
            captured_over(db, session, run, on)
    push(desk, story.header.session)
    return True


def enter_lead_out(desk: Desk, story: RunStory) -> bool:
    """What lay after a punch, for the takes of its run; whether that is there."""
    with desk.database.transaction() as db:
        run = db.scalar(select(Run).where(Run.uuid == story.header.lead_in_of))
        if run is None:
            return False
        session = get_session(db, run.session_id, lock=True)
        by_track = {take.track_id: take for take in run.takes}
        tracks = {file.path: file.track for file in story.header.files}
        for end in story.files:
            take = by_track.get(tracks.get(end.path, 0))
            if take is not None and take.lead_out_id is None:
                with suppress(OSError, ValueError):
                    media = _media(session, folder_of(desk, session), story.folder / end.path, end)
                    db.add(media)
                    db.flush()
                    take.lead_out_id = media.id
        count_on(db, session, plan=False)
        takes_changed(session)  # a seam at the end of the punch reaches into it
    push(desk, story.header.session)
    return True


def _short(why: Exception) -> str:
    return why.strerror or "it cannot be read" if isinstance(why, OSError) else str(why)


def _lead_ins(db: orm.Session, session: Session, root: Path, story: RunStory) -> dict[str, Media]:
    """What was counted in before a run, by the name of the file that it lies before; enters it with the run."""
    path = story.folder / LEAD_IN_FOLDER / story.path.name
    found: dict[str, Media] = {}
    with suppress(journal.Unreadable, OSError):
        recovery.mend_run(path)
        before = journal.read(path)
        if not before.ended or before.header.lead_in_of != story.header.run or not before.samples:
            return {}
        for end in before.files:
            with suppress(OSError, ValueError):
                found[end.path] = _media(session, root, before.folder / end.path, end)
                db.add(found[end.path])
    return found


def _media(session: Session, root: Path, path: Path, end: FileEnd) -> Media:
    """Raises OSError, NotAWave. A disk that failed may have kept the sound and not the header that says so."""
    info = wavfile.inspect(path)
    if end.samples is not None and info.frames < end.samples:
        info = wavfile.mend(path, end.samples)
    return Media(
        session_id=session.id, path=kept_as(root, path), channels=info.format.channels,
        bits=info.format.bits, rate_hz=info.format.rate_hz, samples=info.frames, crc32=end.crc32,
    )

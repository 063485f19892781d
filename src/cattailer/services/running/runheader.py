"""The header of a session's next run, and where its files go."""

from dataclasses import replace
from datetime import datetime
from pathlib import Path

from sqlalchemy import func, orm, select

from cattailer.core.advice.gainadvice import net_gain_db, preamp_words, source_key
from cattailer.core.gear.interface import Profile
from cattailer.core.patch.ends import in_words
from cattailer.core.patch.patch import Patch, PatchTrack
from cattailer.media.journal import RunHeader
from cattailer.media.runheader import Named, Played, header
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.places import folder_of
from cattailer.services.session.compiling import silent_plan
from cattailer.services.session.rows import patch_of
from cattailer.store.models import Run, Session

NextRun = tuple[RunHeader, Path, str]
"""The header, the folder of the files, and the stem of the journal."""


def next_run(desk: Desk, db: orm.Session, session: Session, tracks: list[int]) -> NextRun:
    """For a run that captures these tracks."""
    plan, patch, profile = silent_plan(desk, session), patch_of(session), desk.profile_or_blank(session.interface)
    groups = {g.id: g.name for g in patch.groups}
    played = {t.id: _played(patch, profile, t, in_words(t.feeds, groups)) for t in patch.tracks}
    number = _next_number(desk, db, session)
    now = datetime.now().astimezone()
    made = header(plan, number, tracks, now, Named(session.name_pattern, session.code), played)
    return made, folder_of(desk, session) / f"run-{number:03}", f"run-{number:03}"


def written_run(desk: Desk, db: orm.Session, session: Session, tracks: list[int], start: int, what: str) -> NextRun:
    """For a run that writes tracks from ``start`` on without capturing anything; ``what`` says what it is."""
    made, folder, stem = next_run(desk, db, session, tracks)
    return replace(made, start=start, note=what, files=tuple(replace(f, feed=what) for f in made.files)), folder, stem


def _next_number(desk: Desk, db: orm.Session, session: Session) -> int:
    known = db.scalar(select(func.max(Run.number)).where(Run.session_id == session.id)) or 0
    return 1 + max(known, _last_on_disk(desk, session))


def _last_on_disk(desk: Desk, session: Session) -> int:
    """The highest run number that has a folder: the database may not know the newest yet."""
    folders = [folder_of(desk, session)]
    if session.fallback_root:
        folders.append(Path(session.fallback_root) / session.folder)
    taken = [int(p.name[4:]) for folder in folders for p in folder.glob("run-*") if p.name[4:].isdigit()]
    return max(taken, default=0)


def _played(patch: Patch, profile: Profile, track: PatchTrack, feed: str) -> Played:
    rows = patch.behind(track.feeds, profile.inputs)
    if not rows:
        return Played(feed)
    settings = " / ".join(dict.fromkeys(preamp_words(row, profile) for row in rows))
    return Played(feed, source_key(rows[0]), net_gain_db(rows[0], profile), settings)

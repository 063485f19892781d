"""Rolling, capturing, stopping, and going somewhere."""

import threading
from dataclasses import asdict, replace
from pathlib import Path

from sqlalchemy import orm, select

from cattailer.core.errors import NotNow
from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.course import Course
from cattailer.core.time.clicking import ClickSettings
from cattailer.core.time.timeline import BEFORE_ZERO_S
from cattailer.core.transport import ROLLING, STOPPED
from cattailer.engine.messages.answers import Status, Stopped
from cattailer.engine.messages.commands import Capture, GetStatus, KeepHeard, Locate, PunchOut, Roll, Stop
from cattailer.media import journal
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.disk import disk_minutes_left
from cattailer.services.desk.places import check_root, root_of
from cattailer.services.running.capturing import course_from, settings_of
from cattailer.services.running.deck import ready_check
from cattailer.services.running.runheader import NextRun, next_run
from cattailer.services.session import trying
from cattailer.services.session.compiling import fed
from cattailer.services.session.opening import need_open
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import patch_of, tempo_of
from cattailer.services.sounding.pieces import first_of_takes
from cattailer.store.models import Run, Session, Track

LEAST_MINUTES = 0.5
HEARD = "kept from what was heard"


def roll(desk: Desk, session_id: int) -> Status:
    """What is in use sounds, and no longer what was tried."""
    need_open(desk, session_id)
    trying.end(desk, session_id)
    with desk.database.transaction() as db:
        count = _count(get_session(db, session_id), "rolling")
    return desk.engine.ask(Roll(count))


def _count(session: Session, state: str) -> int:
    return ClickSettings.from_dict(session.clicking).counts_before(state)


def stop(desk: Desk, session_id: int, pressed: int | None = None) -> Stopped:
    """Stops where the timeline was at ring sample ``pressed``, if that is not too long ago. The files of what was
    captured are closed beside; the run is entered once the engine says so."""
    return desk.engine.ask(Stop(session_id, pressed))


def locate(desk: Desk, session_id: int, position: int) -> Status:
    return desk.engine.ask(Locate(session_id, position))


def go_to_bar(desk: Desk, session_id: int, bar: int) -> Status:
    """Goes to the first beat of a bar, wherever bar 1 stands."""
    with desk.database.transaction() as db:
        position = tempo_of(get_session(db, session_id)).sample_of(bar)
    return locate(desk, session_id, position)


class LiveWalking:
    """Bars of several pages add up: one goes on from where another has come to."""

    def __init__(self) -> None:
        self.lock = threading.Lock()


def move_bars(desk: Desk, session_id: int, bars: int) -> Status:
    """Goes to the start of a bar: 0 of this one, -1 the one before, 1 the next. Before 0 it goes only as far as there
    is something to hear."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        tempo, first = tempo_of(session), first_of_takes(session)
    with desk.live.of(session_id, LiveWalking).lock:
        position = desk.engine.ask(GetStatus()).position
        bar = tempo.bar_beat_at(position).bar
        if bars < 0 and position > tempo.sample_of(bar):
            bars += 1
        return locate(desk, session_id, max(first, -BEFORE_ZERO_S * tempo.rate_hz, tempo.sample_of(bar + bars)))


def again(desk: Desk, session_id: int, pressed: int | None = None) -> Status:
    """Ends what is captured, goes back to where it began, and captures once more; what was captured stays. Raises what
    ``capture`` raises; the first run has ended by then, and is kept."""
    if desk.engine_state().state != STOPPED:
        stop(desk, session_id, pressed)
    return capture(desk, session_id)


def keep_heard(desk: Desk, session_id: int) -> Status:
    """Makes takes of what came in during the last half minute: on the armed tracks, or on all that are fed if none is
    armed. Raises what ``capture`` raises."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        kept = [t for t in fed(desk, session) if t.armed] or fed(desk, session)
        if not kept:
            raise NotNow("No track is fed by anything, so there is nothing to keep.")
        header, folder, stem = _next(desk, db, session, kept, HEARD)
    if desk.engine_state().session != session_id:
        raise NotNow("This session is not open, so nothing of it was heard. Open it, and play.")
    return desk.engine.ask(KeepHeard(journal.plain_header(header), str(folder), stem))


def _next(desk: Desk, db: orm.Session, session: Session, tracks: list[Track], note: str) -> NextRun:
    """The next run of these tracks. Raises NotNow where it could not be written."""
    check_root(desk, session)
    if quiet := desk.quiet_work():
        raise NotNow(f"Does not come round any more: {', '.join(quiet)}. Restart Cattailer; nothing was captured.")
    channels = sum(len(t.feeds) for t in tracks)
    if disk_minutes_left(root_of(desk, session), channels, session.rate_hz, session.bits) < LEAST_MINUTES:
        raise NotNow("The disk has less than half a minute left for these tracks. Free some space first.")
    header, folder, stem = next_run(desk, db, session, [t.id for t in tracks])
    return replace(header, note=note), folder, stem


def capture(
    desk: Desk, session_id: int, track_ids: list[int] | None = None, samples: int | None = None, note: str = "",
    pressed: int | None = None,
) -> Status:
    """Captures the armed tracks as the session's settings say; or those given, from where the timeline stands, for
    ``samples``, without a count-in. What waits for a second press begins.

    Raises NotNow when none is armed or the disk is too full, before anything is opened, and what the engine refuses.
    """
    trying.end(desk, session_id)
    state = desk.engine_state()
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        armed = [t for t in session.tracks if (t.armed if track_ids is None else t.id in track_ids)]
        if not armed:
            raise NotNow("No track is armed, so there is nothing to capture. Arm at least one (X arms the row).")
        armed = [t for t in fed(desk, session) if t in armed]
        if not armed:
            raise NotNow("Nothing feeds the armed tracks, so there is nothing to capture. Give them a socket in Patch.")
        (header, folder, stem), count, course = _next(desk, db, session, armed, note), 0, Course(limit=samples)
        named = [session.name_pattern, session.code]
        fallback = str(Path(session.fallback_root) / session.folder) if session.fallback_root else ""
        if samples is None:
            playhead = state.position if state.session == session_id else 0
            course, count = course_from(db, session, playhead), _count(session, "capturing")
            patch, profile = patch_of(session), desk.profile_or_blank(session.interface)
            found = ready_check(desk, session, patch, profile, state)
            waved = tuple(f.text for f in found if f.kind != "good")
            header = replace(header, over=settings_of(session).over, waved=waved)
    need_open(desk, session_id)
    plain = journal.plain_header(header)
    return desk.engine.ask(Capture(plain, str(folder), stem, asdict(course), count, pressed, named, fallback))


def punch_out(desk: Desk, session_id: int, pressed: int | None = None) -> Status:
    """What is captured ends; the timeline rolls on."""
    return desk.engine.ask(PunchOut(session_id, pressed))


def play_last(desk: Desk, session_id: int) -> Status:
    """Goes to where the newest run began, and rolls."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        run = db.scalar(select(Run).where(Run.session_id == session_id).order_by(Run.number.desc()).limit(1))
        if run is None:
            raise NotNow("Nothing has been captured yet, so there is nothing to play.")
        position = rescaled(run.start, run.rate_hz, session.rate_hz)
    trying.end(desk, session_id)
    return play_from(desk, session_id, position)


def play_from(desk: Desk, session_id: int, position: int, samples: int | None = None) -> Status:
    """Goes there and rolls, for so many samples or until it is stopped; a timeline that rolls already goes on rolling
    there."""
    need_open(desk, session_id)
    found = locate(desk, session_id, position)
    return desk.engine.ask(Roll(samples=samples)) if found.state in (STOPPED, ROLLING) else found

"""Sessions, takes and plans, as several tests make them."""

from pathlib import Path

from cattailer.core.patch.patch import Patch
from cattailer.media import journal
from cattailer.services.desk.desk import Desk
from cattailer.services.running import arming, runs, transport
from cattailer.services.session import demo, history
from cattailer.services.session.compiling import compile_plan
from cattailer.services.session.editing import takes_changed
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import patch_of, tempo_of
from cattailer.services.stages.capture import show as capture_show
from cattailer.services.stages.takes import show as takes_show
from cattailer.services.stages.timing import clicking, tempo
from cattailer.store.models import Media, Run, Session, Take
from tests.helpers.desks import kept
from tests.helpers.waiting import pass_time, wait_for


def plan_of(desk: Desk, session: int):  # type: ignore[no-untyped-def]
    with desk.database.transaction() as db:
        return compile_plan(desk, db.get_one(Session, session))


def the_map(desk: Desk, session: int):  # type: ignore[no-untyped-def]
    with desk.database.transaction() as db:
        return tempo_of(get_session(db, session))


def counted(desk: Desk, bars: int = 1, bpm: float = 300.0) -> int:
    """The demo, with a short count-in; the first and sixth track armed."""
    session = demo.load(desk)
    tempo.set_tempo(desk, session, 1, bpm)
    clicking.change(desk, session, {"count_bars": bars})
    for number, row in enumerate(rows_of(desk, session), 1):
        arming.arm_track(desk, session, row.id, number in (1, 6))
    return session


def stop(desk: Desk, session: int) -> None:
    """Stops, and returns once what was captured is closed and entered, as the page's own work would have it."""
    ended = transport.stop(desk, session)
    if ended.journal:
        path = Path(ended.journal)
        wait_for(lambda: not path.exists() or (journal.read(path).ended and not journal.is_live(path)))
        runs.enter_finished(desk)


def capture(desk: Desk, session: int, seconds: float = 0.5) -> None:
    transport.capture(desk, session)
    assert desk.engine_state().state == "counting"
    wait_for(lambda: desk.engine_state().state == "capturing")
    pass_time(desk.engine, seconds)
    stop(desk, session)


def capture_for(desk: Desk, session: int, seconds: float) -> None:
    transport.capture(desk, session)
    pass_time(desk.engine, seconds)
    stop(desk, session)


def make_takes(desk: Desk, seconds: float = 0.4) -> int:
    """The demo with a take of two tracks, on a desk that holds nothing yet."""

    def captured(desk: Desk) -> int:
        session = demo.load(desk)
        for number, row in enumerate(rows_of(desk, session), 1):
            arming.arm_track(desk, session, row.id, number in (1, 6))
        capture_for(desk, session, seconds)
        return session

    return kept(desk, ("takes", seconds), captured)


def the_patch(desk: Desk, session: int) -> Patch:
    with desk.database.transaction() as db:
        return patch_of(get_session(db, session))


def words(desk: Desk, session: int) -> list[str]:
    with desk.database.transaction() as db:
        return [line.what for line in history.lines(db, session)]


def rows_of(desk: Desk, session: int) -> list[capture_show.TrackRow]:
    """The rows of the Capture stage."""
    return capture_show.show(desk, session).rows


def takes_of(desk: Desk, session: int, place: int) -> list[takes_show.TakeLine]:
    """The takes of the track at a place, counted from 0 or from the end, the newest first."""
    return takes_show.show(desk, session).rows[place].takes


def more_takes(desk: Desk, session_id: int, runs: int, first: int = 2) -> None:
    """As captures would have made them."""
    with desk.database.transaction() as db:
        session = db.get_one(Session, session_id)
        for number in range(first, first + runs):
            run = Run(
                uuid=f"u{number}", session_id=session_id, number=number, start=0, samples=1000, rate_hz=48_000,
                began_at=session.created_at, dropouts=[[5, 64, 0.1]],
            )
            for track in session.tracks:
                media = Media(
                    session_id=session_id, path=f"{number}-{track.id}.wav", channels=1, bits=24, rate_hz=48_000,
                    samples=1000, crc32="1",
                )
                run.takes.append(Take(
                    track_id=track.id, media=media, number=number, start=0, samples=1000, peak_dbfs=-9.0, clips=0,
                ))
            db.add(run)
        session.revision += 1
        takes_changed(session)

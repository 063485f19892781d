"""Captures as the session's settings say, until everything is entered and checked."""

from cattailer.media import journal
from cattailer.services.desk import places
from cattailer.services.desk.desk import Desk
from cattailer.services.keeping import verifying
from cattailer.services.running import arming, capturing, runs
from cattailer.services.session import demo, opening
from cattailer.store.models import Run, Session
from tests.helpers.sessions import rows_of
from tests.helpers.waiting import wait_for


def settled(desk: Desk) -> None:
    """Until everything is closed, entered and looked at."""
    def ended() -> bool:
        if desk.engine_state().state != "stopped":
            return False
        runs.enter_finished(desk)
        with desk.database.transaction() as db:
            roots = places.roots(desk, db)
        return runs.journals_of(desk).settled >= {path for root in roots for path in journal.find_all(root)}

    wait_for(ended)
    unmeasured: set[int] = set()
    while runs.measure_one(desk, unmeasured):
        pass
    while verifying.verify_one(desk):
        pass


def armed(desk: Desk, **settings: object) -> int:
    """The demo with its first and sixth track armed, and a buffer that keeps the machine free for other tests."""
    session = demo.load(desk)
    with desk.database.transaction() as db:
        db.get_one(Session, session).period = 512
    for number, row in enumerate(rows_of(desk, session), 1):
        arming.arm_track(desk, session, row.id, number in (1, 6))
    for name, value in settings.items():
        capturing.change(desk, session, name, str(value))
    opening.open_session(desk, session)
    return session


def all_runs(desk: Desk, session: int) -> list[Run]:
    with desk.database.transaction() as db:
        found = list(db.get_one(Session, session).runs)
        for run in found:
            _ = run.takes
        db.expunge_all()
        return found

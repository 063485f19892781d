"""What the web does by itself in the background: follows revisions, enters finished runs, and gives
a restarted engine its session back."""

import threading
import time
from collections.abc import Callable
from contextlib import suppress
from functools import partial
from pathlib import Path

import psycopg
import structlog
from sqlalchemy.exc import OperationalError

from cattailer.core.errors import Refusal
from cattailer.engine.messages.commands import AWAY
from cattailer.engine.process.client import Listener
from cattailer.engine.process.loops import Loops
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.guests import Guests
from cattailer.services.keeping import copying, verifying
from cattailer.services.running import leaks, runs
from cattailer.services.session import opening
from cattailer.services.stages.capture import uploads
from cattailer.services.stages.patch import linecheck
from cattailer.services.stages.patch.linecheck import LiveWalk

log = structlog.get_logger("care")
LOOK_AGAIN_S = 2.0
SWEEP_S = 20.0
QUIET_S = 30.0
COPYING, COPY_S = "copying", 1.0
BETWEEN_S = 0.1
"""So much others get between two takes that are looked at."""


class Care:
    """``revisions`` maps sessions to the newest revision that was heard of."""

    def __init__(self, desk: Desk, guests: Guests) -> None:
        self._desk, self._guests = desk, guests
        self.revisions: dict[int, int] = {}
        self._loops = Loops(QUIET_S)
        self._unmeasured: set[int] = set()

    def start(self) -> None:
        threading.Thread(target=self._sweep, args=(time.time(),), name="sweep", daemon=True).start()
        works: dict[str, Callable[[], None]] = {
            "revisions": self._follow_revisions, "runs": self._enter_runs, "engine": self._mind_engine,
            "checks": self._listen, "measuring": self._measure, "leaks": self._look_for_leaks,
            "verifying": self._verify, COPYING: self._copy, "devices": self._follow_devices,
        }
        for name, work in works.items():
            self._loops.start(name, partial(self._again, work), LOOK_AGAIN_S)

    def quiet(self) -> list[str]:
        """What does not come round any more of the work in the background. A second copy may hang as long as it
        likes."""
        return [name for name in self._loops.quiet() if name != COPYING]

    @staticmethod
    def _again(work: Callable[[], None]) -> None:
        """What is away for a while is no stumbling."""
        try:
            work()
        except (Refusal, psycopg.Error, OperationalError) as why:
            log.info("will try again", why=str(why))

    def _sweep(self, started: float) -> None:
        """What an earlier process left of files on their way; where the database or a disk is away, the next start
        tries again."""
        with suppress(OperationalError, OSError):
            uploads.sweep(self._desk, started)

    def _follow_revisions(self) -> None:
        for session, revision in self._desk.database.revisions(5.0):
            self._loops.beat("revisions")
            if session:
                self.revisions[session] = revision

    def _enter_runs(self) -> None:
        """As the engine tells of them, and now and then whatever lies there: a run that broke off is mended too."""
        listener = Listener(self._desk.telemetry, ("event",))
        swept = 0.0
        try:
            while True:
                self._loops.beat("runs")
                if time.monotonic() - swept > SWEEP_S:
                    runs.enter_finished(self._desk)
                    swept = time.monotonic()
                for event in listener.receive(2000):
                    if event["topic"] == "event" and event["kind"] == "run":
                        runs.enter_finished(self._desk, [Path(event["journal"])])
        finally:
            listener.close()

    def _measure(self) -> None:
        """What a crash or a full disk left without peak, checksum and overview."""
        while runs.measure_one(self._desk, self._unmeasured):
            self._loops.beat("measuring")

    def _verify(self) -> None:
        """What was captured, read again."""
        while verifying.verify_one(self._desk):
            self._loops.beat("verifying")
            time.sleep(BETWEEN_S)

    def _copy(self) -> None:
        """Second copies, for the sessions that want one."""
        while True:
            self._loops.beat(COPYING)
            time.sleep(COPY_S if copying.copy_once(self._desk) else LOOK_AGAIN_S)

    def _look_for_leaks(self) -> None:
        """A click that is heard in what was captured."""
        while leaks.look_at_one(self._desk) is not None:
            self._loops.beat("leaks")
            time.sleep(BETWEEN_S)

    def _listen(self) -> None:
        """Hears for the line checks; only while one is under way."""
        while True:
            while not self._wanted():
                self._loops.beat("checks")
                time.sleep(0.1)
            listener = Listener(self._desk.telemetry, ("frame",))
            try:
                while self._wanted():
                    self._loops.beat("checks")
                    for frame in listener.receive(200):
                        if frame["topic"] == "frame":
                            linecheck.hear(self._desk, frame["session"], frame)
            finally:
                listener.close()

    def _wanted(self) -> bool:
        return any(live.listening for live in self._desk.live.all(LiveWalk))

    def _follow_devices(self) -> None:
        """Who has a key may be changed from the terminal too."""
        self._guests.refresh()

    def _mind_engine(self) -> None:
        state = self._desk.engine_state()
        if state.session is None and state.state != AWAY:
            opening.reopen_last(self._desk)

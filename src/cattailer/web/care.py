"""What the web does by itself in the background: follows revisions, enters finished runs, and gives
a restarted engine its session back."""

import threading
import time
from collections.abc import Callable
from pathlib import Path

import psycopg
import structlog

from cattailer.core.errors import Refusal
from cattailer.engine.messages.commands import AWAY
from cattailer.engine.process.client import Listener
from cattailer.services.desk.desk import Desk
from cattailer.services.running import runs
from cattailer.services.session import opening
from cattailer.services.stages.patch import linecheck
from cattailer.services.stages.patch.linecheck import LiveWalk

log = structlog.get_logger("care")
LOOK_AGAIN_S = 2.0
SWEEP_S = 20.0


class Care:
    """``revisions`` maps sessions to the newest revision that was heard of."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self.revisions: dict[int, int] = {}

    def start(self) -> None:
        for work in (self._follow_revisions, self._enter_runs, self._mind_engine, self._listen):
            threading.Thread(target=self._again_and_again, args=(work,), daemon=True).start()

    @staticmethod
    def _again_and_again(work: Callable[[], None]) -> None:
        while True:
            try:
                work()
            except (Refusal, psycopg.Error) as why:
                log.info("will try again", why=str(why))
            except Exception:
                log.exception("background work stumbled")
            time.sleep(LOOK_AGAIN_S)

    def _follow_revisions(self) -> None:
        for session, revision in self._desk.database.revisions(30.0):
            if session:
                self.revisions[session] = revision

    def _enter_runs(self) -> None:
        listener = Listener(self._desk.telemetry, ("event",))
        swept = 0.0
        try:
            while True:
                if time.monotonic() - swept > SWEEP_S:
                    runs.enter_finished(self._desk)
                    swept = time.monotonic()
                for event in listener.receive(2000):
                    if event["topic"] == "event" and event["kind"] == "run":
                        runs.enter_finished(self._desk, [Path(event["journal"])])
        finally:
            listener.close()

    def _listen(self) -> None:
        """Hears for the line checks; only while one is under way."""
        while True:
            while not self._wanted():
                time.sleep(0.1)
            listener = Listener(self._desk.telemetry, ("frame",))
            try:
                while self._wanted():
                    for frame in listener.receive(200):
                        if frame["topic"] == "frame":
                            linecheck.hear(self._desk, frame["session"], frame)
            finally:
                listener.close()

    def _wanted(self) -> bool:
        return any(live.listening for live in self._desk.live.all(LiveWalk))

    def _mind_engine(self) -> None:
        state = self._desk.engine_state()
        if state.session is None and state.state != AWAY:
            opening.reopen_last(self._desk)

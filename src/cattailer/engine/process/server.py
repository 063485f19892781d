"""The engine process: answers commands and publishes telemetry, over ZeroMQ on this machine only.

Threads: *audio* runs the driver; *write* appends captures; *next* opens what is captured next; *keep* syncs and closes
what ends; *read* reads takes ahead; *tell* publishes telemetry; *move* brings moved controls to the block path; *watch*
notices when the interface is gone.
Each channel of commands has a thread too, so that Stop never waits for what takes long. See
``docs/decisions/threads-of-the-engine.md``.
"""

import gc
import sys
import threading
import time
from collections.abc import Callable
from typing import Any

import msgpack
import structlog
import zmq

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.plan import Plan
from cattailer.engine.block.engine import Engine
from cattailer.engine.driver import OpenDriver
from cattailer.engine.messages.commands import CHANNELS, address_of, command_of, plain_answer, too_late
from cattailer.engine.process.commands import carry_out
from cattailer.engine.process.given import GivenPlan
from cattailer.engine.process.loops import Loops
from cattailer.engine.process.moves import Moves
from cattailer.engine.process.telemetry import Telemetry
from cattailer.media.disk import REAL, Disk

log = structlog.get_logger("engine")
WRITE_PAUSE_S, KEEP_PAUSE_S, READ_PAUSE_S, TELL_PAUSE_S, WATCH_PAUSE_S = 0.04, 0.1, 0.04, 0.008, 0.2
MOVE_PAUSE_S = 0.01
STALLED = 10
"""So many looks of the watch without a new block mean that the interface is gone."""
MOST_LOGGED = 300
UNREAD = {"ok": False, "message": "The engine could not read that command.", "status": 400}
UNSENT = {"ok": False, "message": "The engine's answer could not be sent; what it did is done.", "status": 500}
INTERFACE_GONE = (
    "The interface stopped delivering sound. A capture that ran ended at its last sample and is kept. Check its cable "
    "and power; it is opened again as soon as it is there."
)


class EngineServer:
    """Answers commands; at most one plan runs at a time. Nothing runs until a plan is loaded."""

    def __init__(self, open_driver: OpenDriver, commands: str, telemetry: str, disk: Disk = REAL) -> None:
        self._open_driver, self._disk = open_driver, disk
        context: zmq.Context[zmq.Socket[bytes]] = zmq.Context.instance()
        self._sockets = {channel: context.socket(zmq.REP) for channel in CHANNELS}
        for channel, socket in self._sockets.items():
            socket.bind(address_of(commands, channel))
        # It hears who subscribes, so that mixes nobody listens to are not sent.
        self._publish = context.socket(zmq.XPUB)
        self._publish.setsockopt(zmq.SNDHWM, 2000)
        self._publish.bind(telemetry)
        self.engine: Engine | None = None
        self.telemetry: Telemetry | None = None
        self.moves = Moves()
        self._wanted: set[str] = set()
        self._loops = Loops()
        self.given = GivenPlan()
        self._audio_thread: threading.Thread | None = None
        self._switching = threading.RLock()
        self._stopping = False
        self._seen, self._stalls = -1, 0

    def serve(self) -> None:
        """Answers until ``shut_down`` is called; then ends a running capture properly."""
        threads = [threading.Thread(target=self._attend, args=(s,), name=c) for c, s in self._sockets.items()]
        for thread in threads:
            thread.start()
        while not self._stopping:
            try:
                self._watch()
            except Exception:
                log.exception("the watch stumbled")
            time.sleep(WATCH_PAUSE_S)
        with self._switching:
            self._close_driver()
        for thread in threads:
            thread.join(2.0)
        self._publish.close()

    def shut_down(self) -> None:
        self._stopping = True

    def _attend(self, socket: "zmq.Socket[bytes]") -> None:
        while not self._stopping:
            if socket.poll(200):
                raw = socket.recv_multipart()
                socket.send(self._packed(self._answer(raw[0]) if len(raw) == 1 else UNREAD))
        socket.close()

    @staticmethod
    def _packed(answer: dict[str, Any]) -> bytes:
        """What cannot travel must not end the thread that answers."""
        try:
            packed = msgpack.packb(answer)
        except (TypeError, ValueError, OverflowError, RecursionError) as why:
            log.warning("answer cannot travel", why=repr(why))
            packed = msgpack.packb(UNSENT)
        assert isinstance(packed, bytes)
        return packed

    def _answer(self, raw: bytes) -> dict[str, Any]:
        try:
            message = msgpack.unpackb(raw, strict_map_key=False)
            command = command_of(message)
            if too_late(message):
                raise NotNow("That came too late, so nothing was done. Try again.")
            return {"ok": True, "value": plain_answer(carry_out(self, command))}
        except Refusal as why:
            return {"ok": False, "message": why.message, "status": why.status}
        except (KeyError, TypeError, ValueError, AttributeError, RecursionError, msgpack.UnpackException) as why:
            log.warning("bad command", why=repr(why)[:MOST_LOGGED])
            return UNREAD
        except Exception as why:  # the engine must outlive any single command
            log.exception("command failed")
            return {"ok": False, "message": f"The engine could not do that: {why}", "status": 500}

    def need(self) -> Engine:
        """Raises NotNow while no session is open, and when the interface is gone."""
        if self.engine is None:
            raise NotNow("No session is open in the engine. Open one first.")
        if self.engine.lost:
            raise NotNow(INTERFACE_GONE)
        return self.engine

    def quiet(self) -> list[str]:
        """The threads that did not come round lately."""
        return self._loops.quiet() if self.engine is not None else []

    def run_plan(self, plan: Plan) -> None:
        """Swaps it in, or opens the interface again when the hardware differs. A plan of the same session that is older
        than the one that runs changes nothing: the newer one holds what it says."""
        with self._switching:
            engine = self.engine
            if engine is not None and engine.lost:
                self._close_driver()
                engine = None
            if engine is not None and plan.session == engine.plan.session and plan.revision < engine.plan.revision:
                return
            if engine is not None and plan.session != engine.plan.session and engine.transport.rolling:
                raise NotNow(f"“{engine.plan.title}” is rolling. Stop it before opening another session.")
            if engine is None or plan.session != engine.plan.session:
                self.moves.forget()
            plan = self.moves.over(plan, settles=True)
            if engine is not None and plan.same_hardware(engine.plan):
                swap, running = engine.set_plan(plan), engine
                engine.between_blocks(lambda: self._swap(running, plan, swap))
                return
            if engine is not None and engine.transport.rolling:
                raise NotNow("Rate and buffer cannot change while the timeline rolls. Stop first.")
            driver = self._open_driver(plan)
            self._end_driver()
            self._start(Engine(driver, plan, self._disk))

    def _move(self) -> None:
        """Brings what was moved to the block path; one plan after another, as those of the database."""
        if not self.moves.waiting or not self._switching.acquire(timeout=MOVE_PAUSE_S):
            return  # whoever switches plans takes what was moved along, or it is taken after
        try:
            self.moves.waiting = False
            engine = self.engine
            if engine is None or engine.lost:
                return
            plan = self.moves.over(engine.plan)
            if plan is not engine.plan:
                engine.between_blocks(engine.set_plan(plan))
        finally:
            self._switching.release()

    @staticmethod
    def _swap(engine: Engine, plan: Plan, swap: Callable[[], None]) -> None:
        if plan.session != engine.plan.session:
            if engine.transport.rolling:
                raise NotNow(f"“{engine.plan.title}” is rolling. Stop it before opening another session.")
            engine.transport.locate(0, plan.rate_hz)
        swap()

    def _start(self, engine: Engine) -> None:
        engine.read_ahead()  # takes and patterns are there before the first block asks for them
        self.engine = engine
        self.telemetry = Telemetry(engine, self._publish, self._wanted)
        self._seen, self._stalls = -1, 0
        self._audio_thread, self._loops = None, Loops()
        gc.unfreeze()  # what was frozen with the engine before, and is in a circle, would stay for ever
        gc.collect()
        gc.freeze()
        gc.set_threshold(50_000, 50, 100)
        sys.setswitchinterval(0.0005)
        self._audio_thread = threading.Thread(target=self._audio, args=(engine,), name="audio", daemon=True)
        self._audio_thread.start()
        self._loops.start("write", engine.write, WRITE_PAUSE_S)
        self._loops.start("next", engine.make_runs, READ_PAUSE_S)
        self._loops.start("keep", engine.keep, KEEP_PAUSE_S)
        self._loops.start("read", engine.read_ahead, READ_PAUSE_S)
        self._loops.start("tell", self.telemetry.pump, TELL_PAUSE_S)
        self._loops.start("move", self._move, MOVE_PAUSE_S)

    def _audio(self, engine: Engine) -> None:
        try:
            engine.driver.run(engine.process, lambda: engine.going)
        except Exception:
            log.exception("the interface stopped delivering")
        if engine.going:
            engine.lose(INTERFACE_GONE)

    def _watch(self) -> None:
        """Notices an interface that delivers no blocks any more, without a word; lets go of one that is lost once its
        run is closed. Looks are counted, not seconds: a computer that slept has not lost its interface."""
        with self._switching:
            engine = self.engine
            if engine is None:
                return
            if engine.lost:
                if not engine.busy:
                    self._close_driver()
                return
            self._stalls = self._stalls + 1 if engine.sample == self._seen else 0
            self._seen = engine.sample
            if self._stalls >= STALLED:
                log.warning("no block came for a while")
                engine.lose(INTERFACE_GONE)

    def _close_driver(self) -> None:
        """No session is open afterwards. Needs ``_switching``."""
        self._end_driver()
        self.engine = None

    def _end_driver(self) -> None:
        """Ends what runs and closes the interface, once the files are closed. Until another one is open, the status is
        that of the old one: nobody must think that no session is open, and open one. Needs ``_switching``."""
        engine = self.engine
        if engine is None:
            return
        if engine.transport.rolling and not engine.lost:
            engine.between_blocks(engine.stop)
        self.await_closed(engine)
        engine.close()
        if self._audio_thread is not None:
            self._audio_thread.join(5.0)
        self._loops.stop()
        engine.pump()
        if self.telemetry is not None:
            self.telemetry.pump()

    @staticmethod
    def await_closed(engine: Engine, seconds: float = 10.0) -> None:
        """Returns once the files of all runs that have ended are closed."""
        until = time.monotonic() + seconds
        while engine.busy and time.monotonic() < until:
            time.sleep(0.01)

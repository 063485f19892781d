"""The engine process: answers commands and publishes telemetry, over ZeroMQ on this machine only.

Threads: the audio thread runs the driver; the disk thread pumps captures and takes; the telemetry thread publishes; the
main thread answers commands.
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
from cattailer.engine.messages.commands import command_of, plain_answer
from cattailer.engine.process.commands import carry_out
from cattailer.engine.process.telemetry import Telemetry

log = structlog.get_logger("engine")
DISK_PAUSE_S = 0.04
TELL_PAUSE_S = 0.008


class EngineServer:
    """Answers commands; at most one plan runs at a time. Nothing runs until a plan is loaded."""

    def __init__(self, open_driver: OpenDriver, commands: str, telemetry: str) -> None:
        self._open_driver = open_driver
        context: zmq.Context[zmq.Socket[bytes]] = zmq.Context.instance()
        self._commands = context.socket(zmq.REP)
        self._commands.bind(commands)
        # It hears who subscribes, so that mixes nobody listens to are not sent.
        self._publish = context.socket(zmq.XPUB)
        self._publish.setsockopt(zmq.SNDHWM, 2000)
        self._publish.bind(telemetry)
        self.engine: Engine | None = None
        self.telemetry: Telemetry | None = None
        self._wanted: set[str] = set()
        self._threads: list[threading.Thread] = []
        self._going = False
        self._stopping = False

    def serve(self) -> None:
        """Answers until ``shut_down`` is called; then ends a running capture properly."""
        while not self._stopping:
            if self._commands.poll(200):
                self._commands.send(msgpack.packb(self._answer(self._commands.recv())))
        self._close_driver()

    def shut_down(self) -> None:
        self._stopping = True

    def _answer(self, raw: bytes) -> dict[str, Any]:
        try:
            command = command_of(msgpack.unpackb(raw, strict_map_key=False))
            return {"ok": True, "value": plain_answer(carry_out(self, command))}
        except Refusal as why:
            return {"ok": False, "message": why.message, "status": why.status}
        except (KeyError, TypeError, ValueError, AttributeError, msgpack.UnpackException) as why:
            log.warning("bad command", why=repr(why))
            return {"ok": False, "message": "The engine could not read that command.", "status": 400}
        except Exception as why:  # the engine must outlive any single command
            log.exception("command failed")
            return {"ok": False, "message": f"The engine could not do that: {why}", "status": 500}

    def need(self) -> Engine:
        """Raises NotNow while no session is open."""
        if self.engine is None:
            raise NotNow("No session is open in the engine. Open one first.")
        return self.engine

    def run_plan(self, plan: Plan) -> None:
        """Swaps it in, or opens the interface again when the hardware differs."""
        engine = self.engine
        if engine is not None and plan.session != engine.plan.session and engine.transport.rolling:
            raise NotNow(f"“{engine.plan.title}” is rolling. Stop it before opening another session.")
        if engine is not None and plan.same_hardware(engine.plan):
            swap = engine.set_plan(plan)
            engine.between_blocks(lambda: self._swap(engine, plan, swap))
        else:
            if engine is not None and engine.transport.rolling:
                raise NotNow("Rate and buffer cannot change while the timeline rolls. Stop first.")
            driver = self._open_driver(plan)
            self._close_driver()
            self._start(Engine(driver, plan))

    @staticmethod
    def _swap(engine: Engine, plan: Plan, swap: Callable[[], None]) -> None:
        if plan.session != engine.plan.session:
            engine.transport.locate(0, plan.rate_hz)
        swap()

    def _start(self, engine: Engine) -> None:
        engine.pump()  # takes and patterns are there before the first block asks for them
        self.engine = engine
        self.telemetry = Telemetry(engine, self._publish, self._wanted)
        self._going = True
        gc.collect()
        gc.freeze()
        gc.set_threshold(50_000, 50, 100)
        sys.setswitchinterval(0.0005)
        self._threads = [
            threading.Thread(target=self._audio, args=(engine,), name="audio", daemon=True),
            threading.Thread(target=self._pump, args=(engine.pump, DISK_PAUSE_S), name="disk", daemon=True),
            threading.Thread(target=self._pump, args=(self.telemetry.pump, TELL_PAUSE_S), name="tell", daemon=True),
        ]
        for thread in self._threads:
            thread.start()

    def _audio(self, engine: Engine) -> None:
        try:
            engine.driver.run(engine.process, lambda: self._going)
        except Exception:
            log.exception("the interface stopped delivering")
            engine.events.append({
                "topic": "event", "kind": "halt",
                "message": "The interface stopped delivering sound. What was captured is kept. Restart Cattailer.",
            })

    def _pump(self, work: Callable[[], None], pause_s: float) -> None:
        while self._going:
            try:
                work()
            except Exception:
                log.exception("a helper thread stumbled")
            time.sleep(pause_s)

    def _close_driver(self) -> None:
        engine = self.engine
        if engine is None:
            return
        if engine.transport.rolling:
            engine.between_blocks(engine.stop)
        self.await_run(engine)
        self._going = False
        for thread in self._threads:
            thread.join(5.0)
        engine.pump()
        self.engine = None

    @staticmethod
    def await_run(engine: Engine, seconds: float = 10.0) -> None:
        """Returns once the files of a run that has ended are closed."""
        until = time.monotonic() + seconds
        while engine.run is not None and time.monotonic() < until:
            time.sleep(0.01)

"""The engine as a process of its own: commands in, telemetry out, over ZeroMQ on this machine only.

Threads: the audio thread runs the driver; the disk thread pumps captures and takes; the telemetry
thread publishes; the main thread answers commands.
"""

import gc
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

import msgpack
import numpy as np
import structlog
import zmq

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.plan import Plan
from cattailer.core.sound import probe
from cattailer.core.sound.meters import KINDS, POINTS
from cattailer.core.transport import captures
from cattailer.engine.block import load
from cattailer.engine.block.engine import Engine
from cattailer.engine.driver import OpenDriver
from cattailer.engine.process.telemetry import Telemetry
from cattailer.engine.sources.click import Count
from cattailer.engine.sources.probe import Probe
from cattailer.engine.writing.printing import print_click
from cattailer.engine.writing.runwriter import RunWriter
from cattailer.media import journal

log = structlog.get_logger("engine")
DISK_PAUSE_S = 0.04
TELL_PAUSE_S = 0.008
MOST_SOUND = 1 << 20


class EngineServer:
    """Answers commands; at most one plan runs at a time. Nothing runs until a plan is loaded."""

    def __init__(self, open_driver: OpenDriver, commands: str, telemetry: str) -> None:
        self._open_driver = open_driver
        context: zmq.Context[zmq.Socket[bytes]] = zmq.Context.instance()
        self._commands = context.socket(zmq.REP)
        self._commands.bind(commands)
        self._publish = context.socket(zmq.PUB)
        self._publish.setsockopt(zmq.SNDHWM, 2000)
        self._publish.bind(telemetry)
        self._engine: Engine | None = None
        self._telemetry: Telemetry | None = None
        self._threads: list[threading.Thread] = []
        self._going = False
        self._stopping = False
        self._known: dict[str, Callable[[dict[str, Any]], Any]] = {
            "ping": lambda _: "here", "plan": self._plan, "roll": self._roll, "stop": self._stop,
            "locate": self._locate, "capture": self._capture, "status": self._status,
            "reset": self._reset, "room": self._room, "sound": self._sound, "meters": self._meters,
            "probe": self._probe, "load": self._load, "print": self._print,
        }

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
            message = msgpack.unpackb(raw)
            command = self._known.get(message.get("command"))
            if command is None:
                raise Refusal(f"The engine knows no command {message.get('command')!r}.")
            return {"ok": True, "value": command(message.get("arguments") or {})}
        except Refusal as why:
            return {"ok": False, "message": why.message, "status": why.status}
        except (KeyError, TypeError, ValueError, AttributeError, msgpack.UnpackException) as why:
            log.warning("bad command", why=repr(why))
            return {"ok": False, "message": "The engine could not read that command.", "status": 400}
        except Exception as why:  # the engine must outlive any single command
            log.exception("command failed")
            return {"ok": False, "message": f"The engine could not do that: {why}", "status": 500}

    def _need(self) -> Engine:
        if self._engine is None:
            raise NotNow("No session is open in the engine. Open one first.")
        return self._engine

    def _plan(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """Runs a plan: swaps it in, or opens the interface again when the hardware differs."""
        plan = Plan.from_dict(arguments["plan"])
        engine = self._engine
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
        return self._status({})

    @staticmethod
    def _swap(engine: Engine, plan: Plan, swap: Callable[[], None]) -> None:
        if plan.session != engine.plan.session:
            engine.transport.locate(0, plan.rate_hz)
        swap()

    def _start(self, engine: Engine) -> None:
        self._engine = engine
        self._telemetry = Telemetry(engine, self._publish)
        self._going = True
        gc.collect()
        gc.freeze()
        gc.set_threshold(50_000, 50, 100)
        sys.setswitchinterval(0.0005)
        self._threads = [
            threading.Thread(target=self._audio, args=(engine,), name="audio", daemon=True),
            threading.Thread(target=self._pump, args=(engine.pump, DISK_PAUSE_S), name="disk", daemon=True),
            threading.Thread(target=self._pump, args=(self._telemetry.pump, TELL_PAUSE_S), name="tell", daemon=True),
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
        engine = self._engine
        if engine is None:
            return
        if engine.transport.rolling:
            engine.between_blocks(engine.stop)
        self._await_run(engine)
        self._going = False
        for thread in self._threads:
            thread.join(5.0)
        engine.pump()
        self._engine = None

    def _await_run(self, engine: Engine, seconds: float = 10.0) -> None:
        until = time.monotonic() + seconds
        while engine.run is not None and time.monotonic() < until:
            time.sleep(0.01)

    def _roll(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """Rolls, after ``count`` bars if that many are given and the timeline stands still."""
        engine = self._need()
        count = engine.make_count(int(arguments.get("count") or 0))
        engine.between_blocks(lambda: engine.roll(count))
        return self._status({})

    def _stop(self, _: dict[str, Any]) -> dict[str, Any]:
        """Stops; answers once the files of a run are closed, so that they can be entered at once."""
        engine = self._need()
        run = engine.run
        engine.between_blocks(engine.stop)
        self._await_run(engine)
        return {**self._status({}), "journal": str(run.story.path) if run and run.story else None}

    def _locate(self, arguments: dict[str, Any]) -> dict[str, Any]:
        engine = self._need()
        position = int(arguments["position"])
        engine.between_blocks(lambda: engine.transport.locate(position, engine.plan.rate_hz))
        return self._status({})

    def _capture(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """Opens the files, then captures from the position at which the command came, after ``count`` bars."""
        engine = self._need()
        if captures(engine.transport.state):
            raise NotNow("A capture is already running.")
        if engine.transport.position < 0:
            raise NotNow("A capture begins at 0 of the timeline or later. Go to bar 1 (Home), then capture.")
        self._await_run(engine)
        header = journal.header_of(arguments["header"])
        if header.session != engine.plan.session:
            raise NotNow("Another session is open in the engine. Open this one first.")
        count = engine.make_count(int(arguments.get("count") or 0))
        start = engine.between_blocks(engine.leave_loop)
        run, before = self._open_run(engine, arguments, replace(header, start=start), count)
        samples = arguments.get("samples")
        try:
            engine.between_blocks(
                lambda: engine.begin_run(run, None if samples is None else int(samples), count, before)
            )
        except Refusal:
            for opened in filter(None, (before, run)):
                opened.call_off()
                opened.pump()
            raise
        return self._status({})

    def _print(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """Writes the click of the plan as a run, while everything else goes on."""
        engine = self._need()
        header, samples = journal.header_of(arguments["header"]), int(arguments["samples"])
        try:
            story = print_click(engine.plan, Path(arguments["folder"]), arguments["stem"], header, samples)
        except OSError as why:
            raise Refusal(f"The click could not be written ({why.strerror or why}); nothing was kept.", 503) from why
        if story.message:
            raise Refusal(story.message, 507)
        return {"journal": str(story.path)}

    @staticmethod
    def _open_run(
        engine: Engine, arguments: dict[str, Any], header: journal.RunHeader, count: Count | None
    ) -> tuple[RunWriter, RunWriter | None]:
        try:
            run = engine.make_run(Path(arguments["folder"]), arguments["stem"], header)
            return run, engine.make_lead_in(run, count) if count else None
        except FileExistsError as why:
            raise NotNow(f"A file called {Path(why.filename).name} is already there, so nothing was captured.") from why
        except OSError as why:
            what = why.strerror or str(why)
            raise Refusal(f"The media folder cannot be written ({what}), so nothing was captured.", 503) from why

    def _reset(self, arguments: dict[str, Any]) -> None:
        """Forgets held peaks and clips, of ``rows`` (source channels) if given."""
        self._need()
        rows = arguments.get("rows")
        if self._telemetry is not None:
            self._telemetry.reset(None if rows is None else [int(r) for r in rows])

    def _meters(self, arguments: dict[str, Any]) -> None:
        """Chooses what is metered, for all pages."""
        self._need()
        kind, point = str(arguments["kind"]), str(arguments["point"])
        if kind not in KINDS or point not in POINTS:
            raise Refusal("The meters can not show that; nothing was changed.")
        if self._telemetry is not None:
            if kind != self._telemetry.rows.kind:
                self._telemetry.rows.choose(kind)
            self._telemetry.point = point

    def _sound(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """A stretch of what came in, 32-bit float, of some source channels, ``rows``; from ring sample ``start``
        on if it is still there, else as far back as there is. At most ``count`` samples, the newest if
        ``start`` is None."""
        engine = self._need()
        rows, count = [int(r) for r in arguments["rows"]], int(arguments["count"])
        if not rows or any(not 0 <= r < engine.plan.source_channels for r in rows) or not 0 < count <= MOST_SOUND:
            raise Refusal("There is no such sound to be had.")
        written = engine.ring.written
        start = arguments.get("start")
        first = max(engine.ring.oldest, written - count if start is None else int(start))
        last = min(written, first + count)
        sound = engine.ring.read(first, last, np.array(rows, np.intp)) if last > first else None
        data = b"" if sound is None else sound.astype("<f4").tobytes()
        count = 0 if sound is None else last - first
        return {"start": first, "count": count, "rate": engine.plan.rate_hz, "written": written, "pcm": data}

    def _room(self, arguments: dict[str, Any]) -> dict[str, Any]:
        engine = self._need()
        engine.driver.command(str(arguments["name"]), arguments.get("arguments") or {})
        return engine.driver.status()

    def _probe(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """Plays the round-trip signal at an output (from 0); answers at which ring samples each repetition begins."""
        engine = self._need()
        output, rate = int(arguments["output"]), engine.plan.rate_hz
        if not 0 <= output < engine.plan.outputs:
            raise Refusal(f"There is no output {output + 1}; the interface has {engine.plan.outputs}.")
        made = Probe(probe.signal(rate), output, probe.REPEATS, probe.stride(rate))
        engine.between_blocks(lambda: engine.play_probe(made))
        until = time.monotonic() + 2.0
        while not made.starts and time.monotonic() < until:
            time.sleep(0.002)
        claimed = engine.driver.latency.round_trip_samples
        return {"starts": made.starts, "claimed": claimed, "period": engine.plan.period}

    def _load(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """How long blocks take with this plan, in microseconds: as they are, and for every buffer if ``all``."""
        engine = self._need()
        now = engine.times.kept()
        sizes = engine.driver.profile.buffers if arguments.get("all") else ()
        measured = {str(p): load.measure(engine.driver.profile, engine.plan, p) for p in sizes}
        return {"period": engine.plan.period, "now": now, "measured": measured}

    def _status(self, _: dict[str, Any]) -> dict[str, Any]:
        engine = self._engine
        if engine is None:
            return {"session": None, "state": "stopped"}
        latency = engine.driver.latency
        return {
            "session": engine.plan.session, "revision": engine.plan.revision, "rate": engine.plan.rate_hz,
            "sockets": engine.plan.inputs, "state": engine.transport.state, "position": engine.transport.position,
            "run": engine.run.header.run if engine.run else None, "dropouts": engine.dropouts,
            "round_trip_samples": engine.round_trip_samples, "claimed_samples": latency.round_trip_samples,
            "missing": engine.missing, "drops": [asdict(d) for d in list(engine.drops)],
            "interface": engine.driver.status(),
        }


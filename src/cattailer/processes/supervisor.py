"""``cattailer serve``: starts PostgreSQL, the engine and the web, watches them, and ends them cleanly."""

import contextlib
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path
from typing import IO

from cattailer.core.errors import Refusal
from cattailer.engine.messages.commands import Ping
from cattailer.engine.process.client import EngineClient
from cattailer.engine.process.loops import Loops
from cattailer.processes import home as homes
from cattailer.processes.awake import Awake
from cattailer.processes.children import START_S, end_holder, ending_with_parent
from cattailer.processes.network import Network, Wanted, prepare
from cattailer.processes.postgres import Postgres
from cattailer.processes.pulse import Pulse
from cattailer.processes.wayin import tell_others, way_in
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.guests import Guests
from cattailer.services.running import runs
from cattailer.services.session import demo, opening
from cattailer.store.database import Database

AWAKE_S = 2.0
RESTART_PAUSE_S = 1.0
SLOW_S = 10.0
RENEW_S = 24 * 3600.0
ENGINE, WEB = "cattailer.processes.engine_main", "cattailer.web.front.serving"


class Supervisor:
    """``say`` gets one line for each step."""

    def __init__(self, wanted: Wanted, with_demo: bool, say: Callable[[str], None], fast_database: bool) -> None:
        self._wanted = wanted
        self._with_demo = with_demo
        self._say = say
        os.umask(0o077)  # what is captured, said and typed is nobody else's on this machine
        self._home = homes.prepare()
        self._postgres = Postgres(self._home.database, self._home.logs / "postgres.log", durable=not fast_database)
        self._children: dict[str, subprocess.Popen[bytes]] = {}
        self._sockets = Path(tempfile.mkdtemp(prefix="cattailer-"))
        self._stopping = False
        self._network: Network
        self._told: Path | None = None
        self._desk: Desk | None = None
        self._pulse: Pulse | None = None
        self._awake: Awake | None = None
        self._loops = Loops()
        self._lock: IO[str] | None = None

    def run(self) -> None:
        """Until it is told to stop. Raises Refusal when something will not start."""
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, self._stop)
        try:
            self._start()
            while not self._stopping:
                self._watch()
                time.sleep(0.2)
        finally:
            self._end()

    def _stop(self, *_: object) -> None:
        self._stopping = True

    def _start(self) -> None:
        self._lock = homes.lock(self._home)
        end_holder(self._home.engine_lock, "engine", ENGINE)
        self._network = prepare(self._wanted, self._home.keys)
        env = {
            **os.environ,
            "CATTAILER_COMMANDS": f"ipc://{self._sockets}/commands",
            "CATTAILER_TELEMETRY": f"ipc://{self._sockets}/telemetry",
            "CATTAILER_MEDIA": str(self._home.media),
            "CATTAILER_MEDIA_ID": homes.media_id(self._home),
            "CATTAILER_ENGINE_LOCK": str(self._home.engine_lock),
            "CATTAILER_LOGS": str(self._home.logs),
            "CATTAILER_PROFILES": str(self._home.profiles),
            "OPENBLAS_NUM_THREADS": "1",
            "PYTHONDONTWRITEBYTECODE": os.environ.get("PYTHONDONTWRITEBYTECODE", ""),
            **self._network.environment(),
        }
        self._env = {k: v for k, v in env.items() if v}
        self._spawn("engine")
        self._step("database", self._postgres.start)
        self._env["CATTAILER_DATABASE"] = self._postgres.url
        database = Database(self._postgres.url)
        self._step("tables", database.migrate)
        engine = EngineClient(self._env["CATTAILER_COMMANDS"])
        self._desk = Desk(database, engine, self._home.media, profiles_folder=self._home.profiles)
        self._recover_now()
        self._spawn("web")
        self._step("engine", self._await_engine)
        if not self._stopping:
            self._step("session", self._open_session)
        self._step("page", self._await_page)
        self._pulse = Pulse(engine, self._postgres)
        self._loops.start("awake", self._awake_by(engine).look, AWAKE_S)
        self._loops.start("certificate", self._network.renew, RENEW_S)
        if not self._stopping:
            self._say(f"Cattailer is ready at {self._network.url}   (Ctrl+C stops it)")
            self._told = tell_others(self._home, self._network, self._postgres.url)
            for line in way_in(self._network, Guests(self._desk, self._network.secret.read_text())):
                self._say(line)

    def _awake_by(self, engine: EngineClient) -> Awake:
        self._awake = Awake(engine)
        return self._awake

    def _step(self, name: str, work: Callable[[], object]) -> None:
        if self._stopping:
            return
        began = time.monotonic()
        work()
        if not self._stopping:
            self._say(f"  {name:<10} ready, {time.monotonic() - began:.1f} s")

    def _spawn(self, name: str) -> None:
        commands = {
            "engine": [sys.executable, "-m", ENGINE],
            "web": [sys.executable, "-m", WEB],
        }
        # What is no log: the last words of a process that cannot start. Each start begins it anew.
        with open(self._home.logs / f"{name}.out", "wb") as out:
            self._children[name] = subprocess.Popen(
                commands[name], env=self._env, stdin=subprocess.DEVNULL, stdout=out, stderr=out,
                start_new_session=True, preexec_fn=ending_with_parent(signal.SIGTERM),
            )

    def _await_engine(self) -> None:
        assert self._desk is not None
        engine = self._desk.engine
        self._await("engine", "engine", lambda: engine.ask(Ping(), 0.5))

    def _await_page(self) -> None:
        straight = urllib.request.build_opener(urllib.request.ProxyHandler({}))  # whatever http_proxy says
        self._await("web", "page", lambda: straight.open(f"{self._network.url}/alive", timeout=2).close())

    def _await(self, name: str, what: str, answers: Callable[[], object]) -> None:
        """Until nothing is raised any longer. Raises Refusal when the process ends, or says nothing for START_S."""
        began, told = time.monotonic(), False
        while not self._stopping:
            with contextlib.suppress(Refusal, OSError):
                answers()
                return
            self._check_alive(name)
            waited = time.monotonic() - began
            if waited > START_S:
                raise Refusal(f"The {what} does not answer; see {self._home.logs / f'{name}.out'}.", 503)
            if waited > SLOW_S and not told:
                told = True
                self._say(f"  {what:<10} is slow to start; this machine is busy")
            time.sleep(0.05)

    def _check_alive(self, name: str) -> None:
        if self._children[name].poll() is not None and not self._stopping:
            raise Refusal(f"The {name} process ended at once; see {self._home.logs / f'{name}.out'}.", 503)

    def _open_session(self) -> None:
        assert self._desk is not None
        demo_id = demo.load(self._desk) if self._with_demo else None
        if why := opening.open_at_start(self._desk, demo_id):
            self._say(f"  LOOK       no session is open: {why}")

    def _recover_now(self) -> None:
        """Mends and enters what broke off; whatever is wrong there, the start goes on."""
        assert self._desk is not None
        if not self._desk.media_there():
            self._say(f"  media      {self._home.media} is not there; nothing can be captured until it is back")
        try:
            report = runs.recover(self._desk, self._home.media)
        except Exception as why:
            self._say(f"  recovered  not everything yet ({why}); it is tried again by itself")
            return
        for mended in report.mended:
            story = mended.story
            seconds = story.samples / story.header.rate_hz
            self._say(f"  recovered  run {story.header.number} of “{story.header.title}”, {seconds:.1f} s")
        for trouble in report.troubles:
            self._say(f"  LOOK       {trouble.path}: {trouble.says}")

    def _watch(self) -> None:
        """Restarts what died or hangs; a capture that the engine took with it is mended then."""
        if self._pulse is not None:
            self._end_what_hangs(self._pulse)
        for name, child in list(self._children.items()):
            if child.poll() is None or self._stopping:
                continue
            self._say(f"  {name} ended unexpectedly ({child.returncode}); restarting it")
            time.sleep(RESTART_PAUSE_S)
            self._spawn(name)
            if name == "engine":
                self._recover_now()
        server = self._postgres.process
        if server is not None and server.poll() is not None and not self._stopping:
            self._say("  database ended unexpectedly; restarting it (a capture that runs goes on)")
            time.sleep(RESTART_PAUSE_S)
            try:
                self._postgres.start()
            except (Refusal, OSError) as why:
                self._say(f"  {why}")

    def _end_what_hangs(self, pulse: Pulse) -> None:
        if pulse.engine_hangs():
            self._say("  engine does not answer any more; ending it")
            self._children["engine"].kill()
            self._children["engine"].wait()
        if pulse.database_hangs():
            self._say("  database does not answer any more; ending it")
            self._postgres.kill()

    def _end(self) -> None:
        self._loops.stop(0.1)
        if self._awake is not None:
            self._awake.let_go()
        if self._pulse is not None:
            self._pulse.stop()
        for name in ("web", "engine"):
            child = self._children.get(name)
            if child is not None and child.poll() is None:
                child.terminate()
                try:
                    child.wait(15)
                except subprocess.TimeoutExpired:
                    child.kill()
                    child.wait()
        if self._desk is not None and self._postgres.process is not None:
            # The engine ends a running capture before it goes; that run is entered here.
            with contextlib.suppress(Exception):
                runs.enter_finished(self._desk)
            self._desk.database.engine.dispose()
        self._postgres.stop()
        if self._desk is not None:
            self._say("Stopped; everything is saved.")
        shutil.rmtree(self._sockets, ignore_errors=True)
        if self._told is not None:
            self._told.unlink(missing_ok=True)
        if self._lock is not None:
            self._lock.close()

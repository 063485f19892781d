"""All lines of the process, and the one ear at the engine's telemetry that they share: a frame is made ready once,
however many pages there are. It runs in the event loop and waits for nothing but sockets."""

import asyncio
import json
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from typing import Any

import msgpack
import structlog
import zmq
import zmq.asyncio

from cattailer.core.errors import Refusal
from cattailer.engine.messages.telemetry import mix_topic
from cattailer.services.desk.desk import Desk, EngineHealth, engine_health
from cattailer.services.session.reading import revision_of
from cattailer.services.stages.levels.live import LiveLevels
from cattailer.services.stages.patch import linecheck
from cattailer.web.live.frames import Shown
from cattailer.web.live.line import Line, Receive, Send

log = structlog.get_logger("live")
MOST_LINES, MOST_OF_ONE = 144, 48
"""Pages that are told what moves: of all devices, and of one."""
FULL = f"{MOST_OF_ONE} pages are open already, so nothing moves on this one. Close some; what is pressed is still done."
TICK_S, ELSEWHERE_S, READ_IT_S = 0.05, 1.0, 5.0
BEAT_S, SILENT_S, ASK_S = 1.0, 1.0, 0.7
"""How often pages hear that this process is alive; after how long without a frame the engine is asked, and how long."""
THREADS = 16
PUT_OUT = 4401
"""The code with which the line of a device ends that was put out; its page goes to the door."""


class Hub:
    """``revisions`` maps sessions to the newest revision that was heard of."""

    def __init__(self, desk: Desk, revisions: dict[int, int]) -> None:
        self._desk, self._revisions = desk, revisions
        self.threads = ThreadPoolExecutor(THREADS, "line")
        self._lines: dict[Line, asyncio.Task[None]] = {}
        self._heard: set[int] = set()
        self._frame_at = self._beat_at = time.monotonic()
        self._engine = EngineHealth()
        self._asking: asyncio.Future[EngineHealth] | None = None
        self._ear: zmq.asyncio.Socket | None = None
        self._loop: asyncio.AbstractEventLoop | None = None

    async def run(self) -> None:
        """Until it is cancelled."""
        self._loop = asyncio.get_running_loop()
        self._ear = zmq.asyncio.Context.instance().socket(zmq.SUB)
        self._ear.setsockopt(zmq.LINGER, 0)
        self._ear.setsockopt(zmq.RCVHWM, 500)
        try:
            self._ear.connect(self._desk.telemetry)
            for topic in (b"frame", b"wave", b"event"):
                self._ear.setsockopt(zmq.SUBSCRIBE, topic)
            await asyncio.gather(self._hear(self._ear), self._tick())
        finally:
            self._ear.close()
            self._ear = None

    async def serve(self, line: Line, receive: Receive, send: Send) -> None:
        """A line from its first word to its last."""
        try:
            line.known["revision"] = await asyncio.get_running_loop().run_in_executor(
                self.threads, revision_of, self._desk, line.session_id
            )
        except Refusal as why:
            return await _tell_and_close(why.message, receive, send)
        if len(self._lines) >= MOST_LINES or sum(other.owner == line.owner for other in self._lines) >= MOST_OF_ONE:
            return await _tell_and_close(FULL, receive, send)
        line.known |= {name: value for name, value, _ in self._states(line)}
        writing = asyncio.create_task(line.write())
        self._lines[line] = asyncio.current_task()  # type: ignore[assignment]
        code = 0
        try:
            code = await line.read(receive)
        except asyncio.CancelledError:
            if not line.put_out:
                raise
            code = PUT_OUT
        finally:
            del self._lines[line]
            self._follow()
            writing.cancel()
            await line.leave()
            if code:
                with suppress(Exception):
                    await send({"type": "websocket.close", "code": code})
        return None

    def put_out(self, owner: int) -> None:
        """Ends the lines of a device, from any thread."""
        if self._loop is not None:
            self._loop.call_soon_threadsafe(self._end, owner)

    def _end(self, owner: int) -> None:
        for line, task in list(self._lines.items()):
            if line.owner == owner:
                line.put_out = True
                task.cancel()

    async def _hear(self, ear: zmq.asyncio.Socket) -> None:
        while True:
            _, body = await ear.recv_multipart()
            with _going_on():
                self._pass_on(body)

    def _pass_on(self, body: bytes) -> None:
        message = msgpack.unpackb(body)
        if message["topic"] == "mix":
            self._pass_sound(message)
        elif message["topic"] == "frame":
            self._pass_frame(message)
        else:
            self._pass_words(message)

    def _pass_sound(self, sound: dict[str, Any]) -> None:
        for line in self._lines:
            if line.mix == sound["mix"]:
                line.sound(sound["pcm"], sound["rate"])

    def _pass_words(self, message: dict[str, Any]) -> None:
        texts: dict[bool, str] = {}
        for line in self._lines:
            whole = line.rights.whole
            if whole not in texts:
                told = line.rights.told(message)
                texts[whole] = "" if told is None else json.dumps(told)
            if texts[whole]:
                line.tell(texts[whole])

    def _pass_frame(self, frame: dict[str, Any]) -> None:
        self._frame_at = now = time.monotonic()
        self._hear_of_engine(EngineHealth())
        shown = Shown(frame)
        for line in self._lines:
            if frame["session"] == line.session_id:
                line.show(shown)
            elif now - line.elsewhere_at > ELSEWHERE_S:
                line.elsewhere_at = now
                line.say("elsewhere", title=frame["title"])

    async def _tick(self) -> None:
        while True:
            await asyncio.sleep(TICK_S)
            with _going_on():
                self._look_round()

    def _beat(self) -> None:
        """Pages hear that this process is alive, and whether the engine is."""
        now = time.monotonic()
        if self._asking is not None and self._asking.done():
            asked, self._asking = self._asking, None
            health = asked.result()
            if now - self._frame_at > SILENT_S:
                self._hear_of_engine(health)
        if now - self._frame_at > SILENT_S and self._asking is None and self._lines:
            loop = asyncio.get_running_loop()
            self._asking = loop.run_in_executor(self.threads, engine_health, self._desk, ASK_S)
        if now - self._beat_at > BEAT_S:
            self._tell_beat()

    def _hear_of_engine(self, health: EngineHealth) -> None:
        if health != self._engine:
            self._engine = health
            self._tell_beat()

    def _tell_beat(self) -> None:
        self._beat_at = time.monotonic()
        for line in self._lines:
            line.say("beat", engine=self._engine.words, idle=self._engine.idle)

    def _look_round(self) -> None:
        self._beat()
        for line in list(self._lines):
            for name, value, said in self._states(line):
                if line.known[name] != value:
                    line.known[name] = value
                    line.say(name, **said)
            newest = self._revisions.get(line.session_id, line.known["revision"])
            if newest != line.known["revision"]:
                line.known["revision"] = newest
                line.say("revision", revision=newest)
            line.tick()
        self._follow()

    def _states(self, line: Line) -> list[tuple[str, object, dict[str, object]]]:
        """What is told when it changes: its topic, what it is compared by, and what is told."""
        check = linecheck.look(self._desk, line.session_id)
        levels = self._desk.live.of(line.session_id, LiveLevels).count
        return [("check", check, {"found": check.found, "words": check.words}), ("levels", levels, {})]

    def _follow(self) -> None:
        """Hears the mixes that somebody listens to, and no others: one that nobody hears is not packed."""
        wanted = {line.mix for line in self._lines if line.mix}
        if self._ear is not None and wanted != self._heard:
            for mix in self._heard - wanted:
                self._ear.setsockopt(zmq.UNSUBSCRIBE, mix_topic(mix).encode())
            for mix in wanted - self._heard:
                self._ear.setsockopt(zmq.SUBSCRIBE, mix_topic(mix).encode())
            self._heard = wanted


@contextmanager
def _going_on() -> Iterator[None]:
    """All pages hang on these two loops: whatever goes wrong with one message, they go on."""
    try:
        yield
    except Exception:
        log.exception("a line stumbled")


async def _tell_and_close(message: str, receive: Receive, send: Send) -> None:
    """Leaves the page time to read it before the line is closed."""
    await send({"type": "websocket.send", "text": json.dumps({"topic": "problem", "message": message})})
    with suppress(TimeoutError):
        async with asyncio.timeout(READ_IT_S):
            await receive()
    with suppress(Exception):
        await send({"type": "websocket.close", "code": 1013})

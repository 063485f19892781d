"""One page that is told what moves: what waits to be sent to it, and what it says.

Out: JSON texts with a ``topic`` (frame, wave, event, revision, settled, check, levels, tuner, problem, beat once a
second with what is wrong with the engine, and elsewhere when it runs another session) and binary sound of a mix (32-bit
float, stereo). In: wishes (``wish.py``). What a page that is gone had moved is written down, and the keys that it held
are let go.

All of it runs in the event loop; what waits for the engine or the database is done in a thread, one thing after
another for each line."""

import asyncio
import json
import time
from collections import deque
from collections.abc import Awaitable, Callable
from concurrent.futures import Executor
from typing import Any

import structlog
from pydantic import ValidationError

from cattailer.core.access.rights import EVERYTHING, Rights
from cattailer.core.errors import Refusal
from cattailer.core.mix.moving import Move
from cattailer.core.mix.stepping import Step
from cattailer.services.desk.desk import Desk
from cattailer.services.stages.levels import tuning, watch
from cattailer.web.live.frames import Pace, Shown
from cattailer.web.live.hand import Hand
from cattailer.web.live.wish import UNKNOWN_WISH, Wish

MOST_SAID, MOST_AT_ONCE, AT_ONCE_S = 4096, 100, 0.05
"""Bytes in a message, and messages in a twentieth of a second: no page asks so much."""
MOST_UNDONE = 50
"""Wishes that still wait for the engine or the database."""
MOST_WAITING = 64
"""Messages for a page that does not read; then the oldest are left out. It is two seconds of frames."""
TUNE_S, WATCH_S = 0.12, 2.0

NOT_DONE = "That was not written down: the database or the engine did not answer. A capture goes on. Do it once more."
log = structlog.get_logger("live")

Message = dict[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]


class Line:
    """``threads`` does what waits."""

    def __init__(
        self, desk: Desk, session_id: int, threads: Executor, send: Send, rights: Rights = EVERYTHING,
    ) -> None:
        self.session_id, self.rights, self.mix = session_id, rights, 0
        self.put_out = False
        self.wish = Wish(levels=False)
        self.known: dict[str, Any] = {}
        self.elsewhere_at = self.tuned_at = self._watched_at = 0.0
        self._desk, self._threads, self._send = desk, threads, send
        self._hand, self._pace = Hand(desk, session_id), Pace(rights)
        self._loop = asyncio.get_running_loop()
        self._waiting: deque[Message] = deque(maxlen=MOST_WAITING)
        self._more = asyncio.Event()
        self._working = asyncio.Lock()
        self._doing: set[asyncio.Task[None]] = set()
        self._heard_at, self._heard = 0.0, 0

    @property
    def owner(self) -> int:
        """The device's number."""
        return self.rights.device.id

    def tell(self, text: str) -> None:
        self._put({"type": "websocket.send", "text": text})

    def say(self, topic: str, **values: object) -> None:
        told = self.rights.told({"topic": topic, **values})
        if told is not None:
            self.tell(json.dumps(told))

    def show(self, frame: Shown) -> None:
        """As soon as the page has taken enough of those before; then only the newest."""
        self._pace.newest(frame)
        self._more.set()

    def sound(self, pcm: bytes, rate_hz: int) -> None:
        """Left out where the network does not take it: all else would wait behind it."""
        if not self._pace.late:
            self._put({"type": "websocket.send", "bytes": pcm})

    def _put(self, message: Message) -> None:
        self._waiting.append(message)
        self._more.set()

    async def write(self) -> None:
        """Sends what waits, until it is cancelled. A frame is put into words when it goes, so that none of them is old
        and none of what changed is left out."""
        while True:
            await self._more.wait()
            self._more.clear()
            frame = self._pace.next()
            while self._waiting or frame is not None:
                if self._waiting:
                    await self._send(self._waiting.popleft())
                if frame is not None:
                    await self._send({"type": "websocket.send", "text": frame})
                frame = self._pace.next()

    async def read(self, receive: Receive) -> int:
        """Until the page is gone; the code with which to close the line, 0 where it is closed."""
        while (message := await receive())["type"] == "websocket.receive":
            if self._floods():
                return 1008
            self._grant(message.get("text") or "")
        return 0

    async def leave(self) -> None:
        """Once everything is said that was said."""
        await self._in_thread(self._hand.leave)

    def _floods(self) -> bool:
        now = time.monotonic()
        if now - self._heard_at > AT_ONCE_S:
            self._heard_at, self._heard = now, 0
        self._heard += 1
        return self._heard > MOST_AT_ONCE or len(self._doing) > MOST_UNDONE

    def _grant(self, text: str) -> None:
        try:
            wish = Wish.model_validate_json(text)
        except ValidationError:
            self.say("problem", message=UNKNOWN_WISH)
            return
        asked = {name for name in wish.model_fields_set if getattr(wish, name) not in (None, False, [])}
        if why := self.rights.refuses(asked, wish.listen or 0, {target for _, target, *_ in (*wish.move, *wish.step)}):
            self.say("problem", message=why)
            return
        before = self.wish
        if wish.listen is not None:
            self.mix = wish.listen
        if wish.meters is not None:
            self._pace.see(wish.meters)
        if wish.calm is not None:
            self._pace.calm = wish.calm
        if wish.ack is not None:
            self._pace.take(wish.ack)
            self._more.set()
        self._hand.move([*(Move(*c) for c in wish.move), *(Step(*c) for c in wish.step)])
        keys = wish.keys
        if wish.settle:
            self._do(self._let_go)
        if keys is not None:
            self._do(lambda: self._hand.hold(keys))
        self.wish = wish.model_copy(update={"tune": before.tune if wish.tune is None else wish.tune})
        if wish.levels and time.monotonic() - self._watched_at > WATCH_S:
            self._watched_at = time.monotonic()
            self._do(lambda: watch.keep_watching(self._desk, self.session_id))

    def tick(self) -> None:
        """Twenty times a second: what is due of what goes by itself."""
        if self._hand.busy and not self._working.locked():
            self._do(self._let_go if self._hand.forgotten else self._hand.send)
        if self.wish.tune and time.monotonic() - self.tuned_at > TUNE_S:
            self.tuned_at = time.monotonic()
            socket = self.wish.tune
            self._do(lambda: self.say_later("tuner", _tuned(self._desk, self.session_id, socket)))

    def _let_go(self) -> None:
        """The page is told even where nothing changed: it may show more than a control can."""
        if (revision := self._hand.let_go()) is not None:
            self.say_later("settled", {"revision": revision})

    def say_later(self, topic: str, values: dict[str, Any]) -> None:
        """From a thread."""
        self._loop.call_soon_threadsafe(lambda: self.say(topic, **values))

    def _do(self, what: Callable[[], None]) -> None:
        task = self._loop.create_task(self._in_thread(what))
        self._doing.add(task)
        task.add_done_callback(self._doing.discard)

    async def _in_thread(self, what: Callable[[], None]) -> None:
        """One after another, in order; a refusal is told."""
        async with self._working:
            try:
                await self._loop.run_in_executor(self._threads, what)
            except Refusal as why:
                self.say("problem", message=why.message)
            except Exception:
                log.exception("a wish stumbled", session=self.session_id)
                self.say("problem", message=NOT_DONE)


def _tuned(desk: Desk, session_id: int, socket: int) -> dict[str, Any]:
    """The note at a socket as the page shows it; empty when there is none."""
    try:
        note = tuning.hear(desk, session_id, socket, tuning.reference(desk, session_id))
    except Refusal:
        note = None
    if note is None:
        return {"note": "", "cents": 0.0, "in_tune": False}
    return {"note": f"{note.name}{note.octave}", "cents": round(note.cents, 1), "in_tune": note.in_tune}

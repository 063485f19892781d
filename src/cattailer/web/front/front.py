"""What every request meets first: who asks, how much it holds, and which threads do it.

Pages are Flask's, in threads; a request gets one once all of it is there, so whoever sends slowly holds none. Stop
and punching out have threads of their own, so they wait behind no page. Lines stay in the event loop. """

import asyncio
from contextlib import suppress

import structlog
from flask import Flask

from cattailer.core.access.rights import Rights
from cattailer.core.access.roles import Device, Role
from cattailer.core.errors import Refusal
from cattailer.services.desk.desk import Desk
from cattailer.services.stages.listen import ownmix
from cattailer.web.front.body import Body, BrokenOff
from cattailer.web.front.gate import Asked, Elsewhere, Gate
from cattailer.web.front.pages import Pages
from cattailer.web.front.uploading import Uploading
from cattailer.web.live import plain
from cattailer.web.live.hub import Hub
from cattailer.web.live.line import Line, Message, Receive, Send
from cattailer.web.strangers import HEADERS

log = structlog.get_logger("front")
BODY_S, MOST_BODY, MOST_AT_DOOR = 15.0, 1 << 20, 4096
TOO_MUCH = "That was too much to send at once (1 MB is the most). Nothing was changed."
TOO_SLOW = "That came too slowly, so nothing was changed. Try again."
PAGE_THREADS, STOP_THREADS, AT_ONCE_OF_ONE, AT_ONCE_OF_NOBODY, NOBODY = 24, 4, 12, 1, -1
AT_ONCE = ("/stop", "/punch-out")
PLAIN_SOUND = "/player/sound"
REFUSED_S = 1.0


class Front:
    """An ASGI application."""

    def __init__(self, app: Flask, desk: Desk, gate: Gate, hub: Hub) -> None:
        self.app, self.hub = app, hub
        self._desk, self._gate = desk, gate
        self._pages, self._stops = Pages(app.wsgi_app, PAGE_THREADS, "page"), Pages(app.wsgi_app, STOP_THREADS, "stop")
        self._uploading = Uploading(desk)
        self._turns: dict[int, asyncio.Semaphore] = {}

    async def __call__(self, scope: Message, receive: Receive, send: Send) -> None:
        try:
            if scope["type"] == "http":
                await self._page(scope, receive, send)
            elif scope["type"] == "websocket":
                await self._line(scope, receive, send)
        except OSError:
            raise  # whoever asked is gone
        except Exception:
            log.exception("unforeseen", path=scope["path"])
            raise

    async def _page(self, scope: Message, receive: Receive, send: Send) -> None:
        asked = Asked.of(scope)
        try:
            device = self._gate.admit(asked)
        except Elsewhere as other:
            return await _answer(send, other.status, b"", [(b"location", other.address.encode("ascii", "ignore"))])
        except Refusal as why:
            if not asked.wants_page or asked.method != "GET" or why.status != 403 or not self._gate.knows(asked):
                await self._hold_back(scope, asked)
                return await _say(send, why.status, why.message)
            scope["state"]["refusal"], device = why, None
        if device is not None:
            _is_known(scope, device)
            if asked.path == PLAIN_SOUND and device.role is Role.PLAYER:
                return await self._sound(device, receive, send)
        scope["state"] |= {
            "device": device, "openly": self._gate.openly(asked),
            "secure_address": lambda path: self._gate.secure_address(asked.host, path),
        }
        coming = Body(receive)
        if device is not None and (sent := self._uploading.address(asked.method, asked.path)) is not None:
            outcome = await self._uploading.take(*sent, _length(scope), coming)
            return await self._say_after(coming, send, outcome.status, outcome.text)
        try:
            async with asyncio.timeout(BODY_S):
                body = await coming.whole(MOST_BODY if device else MOST_AT_DOOR)
        except (TimeoutError, BrokenOff):
            return await _say(send, 408, TOO_SLOW, [(b"connection", b"close")])
        if body is None:
            return await self._say_after(coming, send, 413, TOO_MUCH)
        await self._in_turn(_with_body(scope, body), body, device, send)
        return None

    @staticmethod
    async def _say_after(coming: Body, send: Send, status: int, text: str) -> None:
        """Once what is still being sent is read, or was for a while; then the connection is closed, if it is not."""
        await coming.discard()
        await _say(send, status, text, None if coming.over else [(b"connection", b"close")])

    async def _hold_back(self, scope: Message, asked: Asked) -> None:
        """Whoever has no key and comes again and again waits for each refusal, which costs nothing meanwhile."""
        if scope["state"].get("connection") is not None and not self._gate.knows(asked):
            await asyncio.sleep(REFUSED_S)

    async def _sound(self, device: Device, receive: Receive, send: Send) -> None:
        try:
            session_id, mix, rate_hz = await asyncio.get_running_loop().run_in_executor(
                self.hub.threads, ownmix.where_is, self._desk, device.mix
            )
        except Refusal as why:
            return await _say(send, why.status, why.message)
        await plain.play(self._desk, self.hub, session_id, rate_hz, Rights(device, mix), receive, send)
        return None

    async def _in_turn(self, scope: Message, body: bytes, device: Device | None, send: Send) -> None:
        """One device has half the threads at most, and all that have no key have one, so others still get theirs."""
        if device is not None and scope["method"] == "POST" and scope["path"].endswith(AT_ONCE):
            await self._stops(scope, body, send)
            return
        owner, most = (device.id, AT_ONCE_OF_ONE) if device else (NOBODY, AT_ONCE_OF_NOBODY)
        turn = self._turns.setdefault(owner, asyncio.Semaphore(most))
        async with turn:
            await self._pages(scope, body, send)

    async def _line(self, scope: Message, receive: Receive, send: Send) -> None:
        await receive()
        asked = Asked.of(scope)
        try:
            device = self._gate.admit(asked)
            session_id = _session_of(scope["path"])
            own = None
            if device is None or session_id is None:
                raise Refusal("There is nothing at this address.", 404)
            if device.role is Role.PLAYER:
                own = await asyncio.get_running_loop().run_in_executor(
                    self.hub.threads, ownmix.mix_in, self._desk, session_id, device.mix
                )
        except (Refusal, Elsewhere) as why:
            await self._hold_back(scope, asked)
            return await _refuse_line(send, why)
        _is_known(scope, device)
        await send({"type": "websocket.accept"})
        await self.hub.serve(Line(self._desk, session_id, self.hub.threads, send, Rights(device, own)), receive, send)
        return None


def _is_known(scope: Message, device: Device) -> None:
    connection = scope["state"].get("connection")
    if connection is not None:
        connection.callers.is_known(connection, device.id)


def _with_body(scope: Message, body: bytes) -> Message:
    """A body that came in chunks has a length now."""
    headers = [(n, v) for n, v in scope["headers"] if n not in (b"content-length", b"transfer-encoding")]
    return {**scope, "headers": [*headers, (b"content-length", str(len(body)).encode())]}


def _length(scope: Message) -> int:
    """What a body's length is said to be; 0 where it is not."""
    said = next((v for n, v in scope["headers"] if n == b"content-length"), b"")
    return int(said) if said.isdigit() else 0


def _session_of(path: str) -> int | None:
    parts = path.split("/")
    if len(parts) == 4 and parts[1] == "s" and parts[3] == "live" and parts[2].isascii() and parts[2].isdigit():
        return int(parts[2]) if len(parts[2]) < 10 else None
    return None


async def _say(send: Send, status: int, text: str, headers: list[tuple[bytes, bytes]] | None = None) -> None:
    await _answer(send, status, text.encode(), [(b"content-type", b"text/plain; charset=utf-8"), *(headers or [])])


async def _answer(send: Send, status: int, body: bytes, headers: list[tuple[bytes, bytes]]) -> None:
    safe = [(n.lower().encode(), v.encode()) for n, v in HEADERS.items()]
    length = [(b"content-length", str(len(body)).encode())]
    await send({"type": "http.response.start", "status": status, "headers": [*headers, *length, *safe]})
    await send({"type": "http.response.body", "body": body})


async def _refuse_line(send: Send, why: Refusal | Elsewhere) -> None:
    status, text = (why.status, why.message) if isinstance(why, Refusal) else (401, "Go to /door first.")
    with suppress(Exception):
        headers = [(b"content-type", b"text/plain; charset=utf-8")]
        await send({"type": "websocket.http.response.start", "status": status, "headers": headers})
        await send({"type": "websocket.http.response.body", "body": text.encode()})

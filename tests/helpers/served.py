"""Pages with what stands before them: asked straight, or over real connections."""

import asyncio
import ssl
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

from flask import Flask

from cattailer.core.access.roles import Role
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.guests import Guests
from cattailer.services.desk.reach import Reach
from cattailer.web.care import Care
from cattailer.web.front import serving
from cattailer.web.front.front import Front
from cattailer.web.front.gate import COOKIE, Policy
from cattailer.web.front.held import Server
from tests.helpers.waiting import wait_for

HERE, PHONE = "127.0.0.1", "192.168.1.7"
SECRET = "a secret of this test"


@dataclass(frozen=True)
class Answer:
    status: int
    headers: dict[str, str]
    body: bytes

    @property
    def text(self) -> str:
        return self.body.decode()

    @property
    def cookie(self) -> str:
        """The pass that it gives."""
        return self.headers.get("set-cookie", "").partition(f"{COOKIE}=")[2].partition(";")[0]


@dataclass
class Served:
    """``ask`` asks the front as a server would, from any address."""

    app: Flask
    front: Front
    guests: Guests
    server: Server
    runner: asyncio.Runner = field(default_factory=asyncio.Runner)

    def ask(
        self, path: str, method: str = "GET", peer: str = PHONE, scheme: str = "http", key: str = "", body: bytes = b"",
        headers: dict[str, str] | None = None, kind: str = "http", **fields: object,
    ) -> Answer:
        plain = {"host": "localhost:8080", **({"cookie": f"{COOKIE}={key}"} if key else {}), **(headers or {})}
        if fields:
            body = urlencode(fields, doseq=True).encode()
            plain |= {"content-type": "application/x-www-form-urlencoded"}
        path, _, query = path.partition("?")
        scope = {
            "type": kind, "method": method, "path": path, "query_string": query.encode(), "scheme": scheme, "root_path": "",
            "http_version": "1.1", "client": (peer, 5), "server": ("localhost", 8080), "state": {},
            "headers": [(n.encode(), v.encode("latin-1")) for n, v in plain.items()],
        }
        sent: list[dict[str, Any]] = []
        said = [{"type": f"{kind}.connect"}] if kind == "websocket" else [{"type": "http.request", "body": body}]

        async def receive() -> dict[str, Any]:
            return said.pop(0) if said else {"type": f"{kind}.disconnect"}

        async def send(message: dict[str, Any]) -> None:
            sent.append(message)

        self.runner.run(self.front(scope, receive, send))
        status = next((m["status"] for m in sent if "status" in m), 101 if sent else 0)
        found: list[tuple[bytes, bytes]] = next((m.get("headers", []) for m in sent if "status" in m), [])
        return Answer(status, {n.decode(): v.decode() for n, v in found}, b"".join(m.get("body", b"") for m in sent))

    def key(self, role: Role, mix: str = "") -> str:
        """The pass of a device that came in by a code, as anybody does."""
        offer = self.guests.offer(role, "", mix)
        return self.guests.come_in(offer.code, "", PHONE, False)[1]


def front_of(desk: Desk, policy: Policy | None = None, reach: Reach | None = None, shared: Path | None = None) -> Served:
    guests = Guests(desk, SECRET, shared)
    server, _ = serving.build(desk, guests, Care(desk, guests), policy or Policy(), reach or Reach())
    front: Any = server.config.app
    return Served(front.app, front, guests, server)


@contextmanager
def at_a_port(desk: Desk, policy: Policy | None = None, context: ssl.SSLContext | None = None) -> Iterator[tuple[Served, int]]:
    """With a server of its own on loopback, in a thread."""
    made = front_of(desk, policy)
    (listening,) = serving.bound(["127.0.0.1:0"])
    thread = threading.Thread(
        target=lambda: asyncio.run(serving.serve(made.server, made.front.hub, [(listening, context)])), daemon=True
    )
    thread.start()
    wait_for(lambda: made.server.started)
    yield made, int(listening.getsockname()[1])
    made.server.should_exit = True
    thread.join(15)
    assert not thread.is_alive()

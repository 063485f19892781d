"""The web process: ``python -m cattailer.web.front.serving``, as the supervisor starts it."""

import asyncio
import gc
import os
import resource
import socket
import ssl
import sys
import threading
from pathlib import Path

import uvicorn

from cattailer.services.desk import logs
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.guests import Guests
from cattailer.services.desk.reach import Reach
from cattailer.web.app import create_app
from cattailer.web.care import Care
from cattailer.web.front.front import Front
from cattailer.web.front.gate import Gate, Policy
from cattailer.web.front.held import KEPT_OPEN_S, LiveConnection, Server
from cattailer.web.live.hub import Hub
from cattailer.web.live.line import MOST_SAID

PING_S, GRACE_S, LAST_S = 10.0, 1, 3.0
SWITCH_S = 0.0005
"""Threads that work out pages let the event loop go on this soon: lines and Stop wait for it."""
RENEWED_S = 60.0


def main() -> None:
    _allow_many_files()
    sys.setswitchinterval(SWITCH_S)
    folder = os.environ.get("CATTAILER_LOGS")
    logs.configure(Path(folder) if folder else None, "web")
    desk = Desk.from_environment()
    shared = os.environ.get("CATTAILER_SHARED_KEY", "")
    guests = Guests(desk, Path(os.environ["CATTAILER_SECRET"]).read_text(), Path(shared) if shared else None)
    care = Care(desk, guests)
    desk.quiet_work = care.quiet
    care.start()
    policy = Policy(bool(shared), int(os.environ.get("CATTAILER_SECURE_PORT", "0")))
    reach = Reach(
        os.environ.get("CATTAILER_REACH", ""), int(os.environ["CATTAILER_PORT"]), policy.secure_port,
        os.environ.get("CATTAILER_FINGERPRINT", ""),
    )
    server, serving = build(desk, guests, care, policy, reach)
    gc.collect()
    gc.freeze()  # what was imported stays: a collection that looks at all of it holds up lines and Stop for 200 ms
    open_at, context = bound(os.environ["CATTAILER_BIND"].split()), None
    if secure_at := bound(os.environ.get("CATTAILER_BIND_SECURE", "").split()):
        context = secure_context(Path(os.environ["CATTAILER_CERTIFICATE"]), Path(os.environ["CATTAILER_KEY"]))
    asyncio.run(serve(server, serving, [*((s, None) for s in open_at), *((s, context) for s in secure_at)]))
    # What a hand had moved is written down; threads that wait longer for engine or database are nobody's any more.
    threading.Timer(LAST_S, os._exit, (0,)).start()
    serving.threads.shutdown(wait=True)
    os._exit(0)


def build(desk: Desk, guests: Guests, care: Care, policy: Policy, reach: Reach) -> tuple[Server, Hub]:
    """The server and the hub of its lines; both are run in one event loop."""
    hub = Hub(desk, care.revisions)
    guests.gone = hub.put_out
    app = create_app(desk, care, guests, reach)
    front = Front(app, desk, Gate(app, guests, policy), hub)
    config = uvicorn.Config(
        front, http="h11", ws=LiveConnection, ws_max_size=MOST_SAID, ws_ping_interval=PING_S, ws_ping_timeout=PING_S,
        ws_per_message_deflate=False, timeout_keep_alive=KEPT_OPEN_S, timeout_graceful_shutdown=GRACE_S,
        log_config=None, access_log=False, log_level="critical", proxy_headers=False, server_header=False,
        lifespan="off", h11_max_incomplete_event_size=32 << 10,
    )
    config.load()
    return Server(config), hub


async def serve(server: Server, hub: Hub, sockets: list[tuple[socket.socket, ssl.SSLContext | None]]) -> None:
    """Until the process is told to end."""
    live = asyncio.create_task(hub.run())
    secure = next((context for _, context in sockets if context is not None), None)
    renewing = asyncio.create_task(_follow_certificate(secure)) if secure else None
    try:
        await server.serve(sockets)  # type: ignore[arg-type]
    finally:
        live.cancel()
        if renewing:
            renewing.cancel()


def bound(addresses: list[str]) -> list[socket.socket]:
    """Sockets for "HOST PORT" texts such as "127.0.0.1:8080" and "[::1]:8080"."""
    out = []
    for address in addresses:
        host, _, port = address.rpartition(":")
        family, *_, found = socket.getaddrinfo(
            host.strip("[]"), int(port), type=socket.SOCK_STREAM, flags=socket.AI_PASSIVE
        )[0]
        # The protocol is said, or asyncio takes it for none of TCP's, and frames wait for each other's acknowledgement.
        made = socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)
        made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        made.bind(found)
        out.append(made)
    return out


def secure_context(certificate: Path, key: Path) -> ssl.SSLContext:
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.minimum_version = ssl.TLSVersion.TLSv1_2
    context.load_cert_chain(certificate, key)
    return context


async def _follow_certificate(context: ssl.SSLContext) -> None:
    """A certificate that was renewed is shown to whoever comes from then on."""
    certificate, key = Path(os.environ["CATTAILER_CERTIFICATE"]), Path(os.environ["CATTAILER_KEY"])
    known = certificate.stat().st_mtime_ns
    while True:
        await asyncio.sleep(RENEWED_S)
        try:
            if (now := certificate.stat().st_mtime_ns) != known:
                context.load_cert_chain(certificate, key)
                known = now
        except (OSError, ssl.SSLError):
            continue  # half of it is written; the old one holds


def _allow_many_files() -> None:
    _, most = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (most, most))


if __name__ == "__main__":
    main()

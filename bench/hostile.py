"""Every address with hostile values and foreign sessions, the lines of pages with messages of all kinds, and the engine's
socket with frames: no answer is a 500, none hangs, a refusal changes nothing, and memory stays as it is. Prints its
tally as JSON.

    python bench/hostile.py [--requests 100000] [--messages 10000] [--frames 2000] [--seed 1]

Requests go through the whole application in this process; lines come over real connections through what stands before it.
The database and the engine are processes of their own.
"""

import argparse
import os
import random
import resource
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import fields, is_dataclass
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1]))  # for the tests' helpers

import msgpack
import sqlalchemy as sa
import zmq
from common import tell
from flask import Flask
from hostile_lines import lines
from hostile_values import changed, image, value

from cattailer.core.errors import Refusal
from cattailer.engine.messages import commands
from cattailer.engine.messages.commands import Command, Ping
from cattailer.engine.process.client import EngineClient
from cattailer.processes.postgres import Postgres
from cattailer.services.desk import logs
from cattailer.services.desk.desk import Desk
from cattailer.services.running import transport
from cattailer.services.session import demo, opening, sessions
from cattailer.store.database import Database
from cattailer.web.app import create_app
from cattailer.web.forms import Form

SLOW_S, ADDRESS = 8.0, "http://localhost"
LOOKED_AT = 0.1
"""The share of requests around which the whole database is compared."""
WAIT_FOR_SOUND, SHARE_THAT_WAITS = {"noise", "roomtone", "load"}, 0.05
"""Addresses that measure a second or two of real sound, and how often they are taken when their turn comes."""

def fields_of(app: Flask, endpoint: str) -> list[str]:
    """What the forms that a view reads may hold."""
    view: Any = app.view_functions[endpoint]
    names = [*getattr(view, "__code__", compile("", "", "exec")).co_names]
    forms = [view.__globals__.get(name) for name in names] if hasattr(view, "__globals__") else []
    return sorted({
        field for form in forms if isinstance(form, type) and issubclass(form, Form) for field in form.model_fields
    })


def addresses(app: Flask) -> list[tuple[str, str, list[str], list[str]]]:
    """(method, rule, its variables, its fields), without WebSockets and files that ship with the page."""
    return [
        (method, rule.rule, sorted(rule.arguments), fields_of(app, rule.endpoint))
        for rule in app.url_map.iter_rules() if not rule.websocket and rule.endpoint != "static"
        for method in sorted((rule.methods or set()) - {"HEAD", "OPTIONS"})
    ]


def requests(app: Flask, rng: random.Random) -> Iterator[tuple[str, str, list[tuple[str, str]]]]:
    """Method, path and fields; most sessions are there, some are not open, some were never made."""
    known = addresses(app)
    while True:
        method, rule, variables, fields = rng.choice(known)
        if rule.rpartition("/")[2] in WAIT_FOR_SOUND and rng.random() > SHARE_THAT_WAITS:
            continue
        for name in variables:
            wanted = rng.choice([*"1111112", "999", "0", "2147483648", "9" * 25]) if name == "session_id" else (
                rng.choice(["1", "2", "7", "0", "2147483648", "9" * 25])
            )
            for kind in ("int:", "", "path:", "string:"):
                rule = rule.replace(f"<{kind}{name}>", wanted)
        chosen = [f for f in fields if rng.random() < 0.8]
        data = [(f, value(rng)) for f in chosen for _ in range(rng.choice([1, 1, 1, 3]))]
        if rng.random() < 0.05:
            data.append((rng.choice(["extra", "\x00", "x" * 500]), value(rng)))
        yield method, rule, data


def memory_mb(process: int | str = "self") -> float:
    return round(int(Path(f"/proc/{process}/statm").read_text().split()[1]) * resource.getpagesize() / 1e6, 1)


def flood(desk: Desk, engine: int, count: int, rng: random.Random) -> dict[str, Any]:
    app = create_app(desk)
    app.testing = False
    client = app.test_client()
    statuses: Counter[int] = Counter()
    wrong: list[str] = []
    slow: list[str] = []
    memory: list[tuple[float, float]] = []
    for number, (method, path, data) in enumerate(requests(app, rng), 1):
        looks = rng.random() < LOOKED_AT
        before = image(desk.database) if looks else {}
        body: dict[str, list[str]] = {}
        for name, typed in data:
            body.setdefault(name, []).append(typed)
        began = time.monotonic()
        sent = {"query_string": body} if method == "GET" else {"data": body}
        answer = client.open(path, method=method, base_url=ADDRESS, headers={"Origin": ADDRESS}, **sent)  # type: ignore[arg-type]
        answer.get_data()
        took = time.monotonic() - began
        statuses[answer.status_code] += 1
        what = f"{method} {path} {str(data)[:160]}"
        if answer.status_code >= 500 and answer.status_code != 503:
            wrong.append(f"{answer.status_code} {what}")
        if took > SLOW_S:
            slow.append(f"{took:.1f} s {what}")
        if looks and answer.status_code >= 400 and image(desk.database) != before:
            # What was begun before may have been written meanwhile: once more, and then nothing else is under way.
            settle(desk)
            before = image(desk.database)
            again = client.open(path, method=method, base_url=ADDRESS, headers={"Origin": ADDRESS}, **sent)  # type: ignore[arg-type]
            if again.status_code >= 400 and (tables := changed(before, image(desk.database))):
                wrong.append(f"a refusal ({answer.status_code}) changed {tables}: {what}")
        if number % 100 == 0:
            settle(desk)
        if number % max(1, count // 10) == 0:
            memory.append((memory_mb(), memory_mb(engine)))
        if number >= count:
            break
    return {
        "requests": count, "statuses": {str(k): v for k, v in sorted(statuses.items())}, "wrong": wrong[:40], "slow": slow[:40],
        "memory_mb_of_pages_and_engine": memory, "rows": rows(desk.database),
    }


def rows(database: Database) -> dict[str, int]:
    """What the requests have made, of which some is kept in memory."""
    with database.engine.connect() as connection:
        return {name: connection.scalar(sa.text(f"SELECT count(*) FROM {name}")) or 0 for name in ("sessions", "tracks", "takes", "comps")}


@contextmanager
def studio(home: Path) -> Iterator[tuple[Desk, int]]:
    """A desk, and the number of its engine's process."""
    server = Postgres(home / "db", home / "postgres.log", durable=False)
    server.start()
    database = Database(server.url)
    database.migrate()
    (home / "media").mkdir()
    commands, telemetry = f"ipc://{home}/c", f"ipc://{home}/t"
    env = {
        **os.environ, "CATTAILER_COMMANDS": commands, "CATTAILER_TELEMETRY": telemetry, "CATTAILER_MEDIA": str(home / "media"),
        "CATTAILER_LOGS": str(home), "CATTAILER_ENGINE_LOCK": str(home / "engine.lock"), "CATTAILER_QUEUE_MS": "inf",
    }
    engine = subprocess.Popen([sys.executable, "-m", "cattailer.processes.engine_main"], env=env)
    try:
        yield Desk(database, EngineClient(commands), home / "media", telemetry), engine.pid
    finally:
        engine.terminate()
        engine.wait(30)
        database.engine.dispose()
        server.stop()


def settle(desk: Desk) -> None:
    """Whatever was begun is ended, so that the next hundred are answered by all states."""
    for session in (1, 2):
        try:
            transport.stop(desk, session)
        except Refusal:
            continue


def frame(rng: random.Random) -> list[bytes]:
    """What a stranger at the engine's socket might say."""
    known = [c for c in vars(commands).values() if isinstance(c, type) and is_dataclass(c) and issubclass(c, Command)]
    named = rng.choice(known)
    plain: Any = {"command": named.__name__, "arguments": {
        field.name: rng.choice([None, 1, -1, 2**63, -(2**63), 1.5, float("nan"), "x", b"\xff", [], {}, [[1]], {"a": 1}, True])
        for field in fields(named) if rng.random() < 0.9
    }}
    kind = rng.randrange(6)
    if kind == 0:
        return [rng.randbytes(rng.choice([0, 1, 10, 5000]))]
    if kind == 1:
        return [msgpack.packb(plain), rng.randbytes(20), b""]
    if kind == 2:
        return [b"\x91" * 3000 + b"\x01"]
    if kind == 3:
        return [msgpack.packb(rng.choice([None, 1, [], {}, "x", [1, 2], {1: 2}, {"command": None}]))]
    return [msgpack.packb(plain)]


def frames(desk: Desk, address: str, count: int, rng: random.Random) -> dict[str, Any]:
    """After each, the engine answers as before."""
    context, wrong = zmq.Context(), []
    for number in range(count):
        said = frame(rng)
        socket = context.socket(zmq.REQ)
        socket.setsockopt(zmq.LINGER, 0)
        socket.connect(commands.address_of(address, rng.choice(commands.CHANNELS)))
        socket.send_multipart(said)
        if not socket.poll(15_000):
            wrong.append(f"frame {number} has no answer: {said!r:.120}")
        socket.close()
        try:
            desk.engine.ask(Ping(), 3.0)
        except Refusal as why:
            wrong.append(f"after frame {number}: {why.message} {said!r:.120}")
            break
    context.destroy(linger=0)
    return {"frames": count, "wrong": wrong[:20]}


def main() -> None:
    parser = argparse.ArgumentParser()
    for name, count in (("requests", 100_000), ("messages", 10_000), ("frames", 2000), ("seed", 1)):
        parser.add_argument(f"--{name}", type=int, default=count)
    wanted = parser.parse_args()
    rng = random.Random(wanted.seed)
    with tempfile.TemporaryDirectory() as home:
        logs.configure(Path(home), "hostile")
        with studio(Path(home)) as (desk, engine):
            opening.open_session(desk, demo.load(desk))
            sessions.create_session(desk, "Another")
            by_socket = frames(desk, f"ipc://{home}/c", wanted.frames, rng)
            by_line = lines(desk, wanted.messages, rng)
            by_page = flood(desk, engine, wanted.requests, rng) if wanted.requests else {}
    tell(pages=by_page, lines=by_line, engine=by_socket)
    sys.exit(1 if by_page.get("wrong") or by_page.get("slow") or by_line["wrong"] or by_socket["wrong"] else 0)


if __name__ == "__main__":
    main()

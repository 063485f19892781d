"""A desk with a database and an engine of its own."""

import math
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TypeVar
from unittest.mock import Mock, patch

import sqlalchemy as sa

from cattailer.core.errors import Away
from cattailer.engine.messages.commands import Command
from cattailer.engine.process.client import ENGINE_AWAY, EngineClient
from cattailer.engine.process.server import EngineServer
from cattailer.liveroom.clock import WallClock
from cattailer.processes.interfaces import open_live_room
from cattailer.services.desk.desk import Desk
from cattailer.store.base import Base
from cattailer.store.database import Database
from tests.helpers.waiting import patient_client

A = TypeVar("A")
SPEED = 3


def empty(database: Database) -> Database:
    with database.engine.begin() as connection:
        names = ", ".join(table.name for table in Base.metadata.sorted_tables)
        connection.execute(sa.text(f"TRUNCATE {names} RESTART IDENTITY CASCADE"))
    return database


class QuickClock(WallClock):
    """Real time that goes several times faster where the machine can keep up; what is captured is the same."""

    def start(self, rate_hz: int, period: int, sample: int) -> None:
        super().start(rate_hz * SPEED, period, sample)


class NoEngine(EngineClient):
    """An engine that does not answer, at once."""

    def __init__(self) -> None:
        super().__init__("")

    def ask(self, command: Command[A], timeout_s: float | None = None) -> A:
        raise Away(ENGINE_AWAY)


@contextmanager
def open_desk(database: Database, tmp_path: Path) -> Iterator[Desk]:
    """A desk with a real engine, in a thread; it does not look for garbage of a whole test run each time it opens."""
    (tmp_path / "media").mkdir(exist_ok=True)
    commands, telemetry = f"ipc://{tmp_path}/c", f"ipc://{tmp_path}/t"
    server = EngineServer(lambda plan: open_live_room(plan, QuickClock(math.inf)), commands, telemetry)
    thread = threading.Thread(target=server.serve)
    thread.start()
    client = patient_client(commands)
    try:
        with patch("cattailer.engine.process.server.gc", Mock()):
            yield Desk(database, client, tmp_path / "media", telemetry)
    finally:
        server.shut_down()
        thread.join(15)
        client.close()

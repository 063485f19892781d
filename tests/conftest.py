"""What several tests share: a PostgreSQL of their own, an engine in a thread, a running Cattailer.

The hardware's queue has no end here: a machine that stalls makes a test late, and loses it nothing.
"""

import math
import os
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
import sqlalchemy as sa
from hypothesis import HealthCheck, settings

from cattailer.engine.client import EngineClient
from cattailer.engine.server import EngineServer
from cattailer.liveroom.clock import WallClock
from cattailer.processes.interfaces import open_live_room
from cattailer.processes.postgres import Postgres
from cattailer.services.desk import Desk
from cattailer.store.database import Database
from cattailer.store.models import Base

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
# The machine may stall: how long an example takes says nothing.
settings.register_profile("house", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("house")


@pytest.fixture(scope="session")
def database(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Database]:
    """A cluster for this test process; never the one that a user runs."""
    folder = tmp_path_factory.mktemp("pg")
    server = Postgres(folder / "db", folder / "postgres.log", durable=False)
    server.start()
    made = Database(server.url)
    made.migrate()
    yield made
    made.engine.dispose()
    server.stop()


@pytest.fixture
def clean(database: Database) -> Database:
    return empty(database)


def empty(database: Database) -> Database:
    with database.engine.begin() as connection:
        names = ", ".join(table.name for table in Base.metadata.sorted_tables)
        connection.execute(sa.text(f"TRUNCATE {names} RESTART IDENTITY CASCADE"))
    return database


@pytest.fixture
def desk(clean: Database, tmp_path: Path) -> Iterator[Desk]:
    with open_desk(clean, tmp_path) as made:
        yield made


@contextmanager
def open_desk(database: Database, tmp_path: Path) -> Iterator[Desk]:
    """A desk with a real engine on the wall clock, in a thread."""
    commands, telemetry = f"ipc://{tmp_path}/c", f"ipc://{tmp_path}/t"
    server = EngineServer(lambda plan: open_live_room(plan, WallClock(math.inf)), commands, telemetry)
    thread = threading.Thread(target=server.serve)
    thread.start()
    yield Desk(database, EngineClient(commands), tmp_path / "media", telemetry)
    server.shut_down()
    thread.join(15)


def pass_time(client: EngineClient, seconds: float) -> None:
    """Waits until the open interface has delivered so much more, however slow the machine is."""

    def arrived() -> tuple[int, int]:
        told = client.ask("sound", rows=[0], count=1, start=None)
        return int(told["written"]), int(told["rate"])

    start, rate_hz = arrived()
    wait_for(lambda: arrived()[0] - start >= seconds * rate_hz, 60.0 + seconds)


def wait_for(what: object, seconds: float = 60.0) -> object:
    """Calls ``what`` until it answers something true; fails after ``seconds``."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        found = what()  # type: ignore[operator]
        if found:
            return found
        time.sleep(0.05)
    raise AssertionError(f"waited {seconds} s for {what}")

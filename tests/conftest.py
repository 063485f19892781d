"""What several tests share: a PostgreSQL of their own, an engine in a thread, a running Cattailer.

The hardware's queue has no end here: a machine that stalls makes a test late, and loses it nothing.
"""

import os
from collections.abc import Iterator
from pathlib import Path

import pytest
import zmq
from hypothesis import HealthCheck, settings

from cattailer.processes.postgres import Postgres
from cattailer.services.desk.desk import Desk
from cattailer.store.database import Database
from tests.helpers.desks import NoEngine, empty, open_desk

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
zmq.Context.instance().set(zmq.MAX_SOCKETS, 8192)  # hundreds of engines and their clients in one process
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


@pytest.fixture
def desk(clean: Database, tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[Desk]:
    """With an engine in a thread, unless the test or its file says that it needs none."""
    names = (mark.name for mark in request.node.iter_markers() if mark.name.endswith("_engine"))
    if next(names, "") == "without_engine":
        yield Desk(clean, NoEngine(), tmp_path / "media")
        return
    with open_desk(clean, tmp_path) as made:
        yield made

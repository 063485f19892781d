"""A desk with a database and an engine of its own."""

import shutil
import tempfile
import threading
from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar
from unittest.mock import Mock, patch

import sqlalchemy as sa

from cattailer.core.errors import Away
from cattailer.engine.messages.commands import Command
from cattailer.engine.process.client import ENGINE_AWAY, EngineClient
from cattailer.engine.process.server import EngineServer
from cattailer.processes.interfaces import open_live_room
from cattailer.services.desk.desk import Desk
from cattailer.services.running import runs
from cattailer.services.session import opening
from cattailer.store.base import Base
from cattailer.store.database import Database
from tests.helpers.waiting import QuickClock, patient_client

A = TypeVar("A")
TABLES = Base.metadata.tables.values()


def empty(database: Database) -> Database:
    with database.engine.begin() as connection:
        names = ", ".join(table.name for table in Base.metadata.sorted_tables)
        connection.execute(sa.text(f"TRUNCATE {names} RESTART IDENTITY CASCADE"))
    return database


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
    server = EngineServer(lambda plan: open_live_room(plan, QuickClock()), commands, telemetry)
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


@dataclass(frozen=True)
class Kept:
    """What a desk holds once something that takes long was done."""

    rows: dict[str, list[dict[str, Any]]]
    folder: tempfile.TemporaryDirectory[str]
    session: int


_known: dict[Hashable, Kept] = {}


def kept(desk: Desk, what: Hashable, make: Callable[[Desk], int]) -> int:
    """The session that ``make`` leaves on an empty desk with an engine; on this desk, and open where it has one."""
    assert not any(_rows(desk.database)["sessions"]), "what this desk holds would be lost"
    if what not in _known:
        folder = tempfile.TemporaryDirectory()
        with open_desk(desk.database, Path(folder.name)) as maker:
            session = make(maker)
        _known[what] = Kept(_rows(desk.database), folder, session)
    found = _known[what]
    shutil.copytree(Path(found.folder.name) / "media", desk.media, dirs_exist_ok=True)
    _put_back(desk.database, found.rows)
    runs.enter_finished(desk)  # knows what is entered already
    if not isinstance(desk.engine, NoEngine):
        opening.open_session(desk, found.session)
    return found.session


def _rows(database: Database) -> dict[str, list[dict[str, Any]]]:
    with database.engine.connect() as connection:
        return {t.name: [dict(row) for row in connection.execute(sa.select(t)).mappings()] for t in TABLES}


def _put_back(database: Database, rows: dict[str, list[dict[str, Any]]]) -> None:
    with empty(database).engine.begin() as connection:
        connection.execute(sa.text("SET LOCAL session_replication_role = replica"))  # rows name others that come later
        for table in TABLES:
            if there := rows[table.name]:
                connection.execute(table.insert(), there)
                if "id" in table.columns:
                    last = max(row["id"] for row in there)
                    connection.execute(sa.text(f"SELECT setval(pg_get_serial_sequence('{table.name}', 'id'), {last})"))

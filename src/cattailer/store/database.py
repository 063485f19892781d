"""Connecting, and bringing the schema up to date."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import psycopg
import sqlalchemy as sa
from alembic import command
from alembic.config import Config
from sqlalchemy import orm

CHANNEL = "cattailer_revision"
"""PostgreSQL notification: "session:revision" once an edit is committed."""
CONNECT_S = 5
LIMITS = "-c statement_timeout=10s -c lock_timeout=5s -c idle_in_transaction_session_timeout=60s"
"""Nobody waits longer: what a statement or a lock holds up is refused, in words, and nothing was changed."""


class Database:
    """An engine and a session factory for one address."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.engine = sa.create_engine(
            url, pool_pre_ping=True, pool_size=10, max_overflow=30, pool_timeout=CONNECT_S, connect_args={
                "connect_timeout": CONNECT_S, "options": LIMITS, "keepalives_idle": 5, "keepalives_interval": 2,
                "keepalives_count": 3,
            },
        )
        self._factory = orm.sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def transaction(self) -> Iterator[orm.Session]:
        """Commits on leaving, rolls back on an exception."""
        with self._factory.begin() as db:
            yield db

    def migrate(self) -> None:
        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        with self.engine.begin() as connection:
            connection.execute(sa.text("SET LOCAL statement_timeout = 0"))
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    def revisions(self, timeout_s: float) -> Iterator[tuple[int, int]]:
        """(session, revision) of edits as they are committed; ends after ``timeout_s`` of silence.

        Raises psycopg.OperationalError when the database goes away.
        """
        address = sa.make_url(self.url).set(drivername="postgresql").render_as_string(hide_password=False)
        with psycopg.connect(address, autocommit=True, connect_timeout=CONNECT_S) as connection:
            connection.execute(f"LISTEN {CHANNEL}")
            while True:
                for note in connection.notifies(timeout=timeout_s, stop_after=1):
                    session, revision = note.payload.split(":")
                    yield int(session), int(revision)
                yield 0, 0


def tell_revision(db: orm.Session, session: int, revision: int) -> None:
    """Within a transaction: tells everybody once it is committed."""
    # By the connection: what waits to be written need not go first, and is written once.
    db.connection().execute(sa.select(sa.func.pg_notify(CHANNEL, f"{session}:{revision}")))

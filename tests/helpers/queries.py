"""Counting what is asked of the database."""

from collections.abc import Iterator
from contextlib import contextmanager

import sqlalchemy as sa

from cattailer.store.database import Database


@contextmanager
def queries(database: Database) -> Iterator[list[str]]:
    """The statements that were sent while inside."""
    sent: list[str] = []

    def note(_connection: object, _cursor: object, statement: str, *_: object) -> None:
        sent.append(statement)

    sa.event.listen(database.engine, "before_cursor_execute", note)
    yield sent
    sa.event.remove(database.engine, "before_cursor_execute", note)

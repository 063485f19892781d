"""Images of rows, before and after an edit, and putting them back.

``Recorder`` watches a database session and collects, by row, the columns that an edit changed.
"""

from typing import Any

import sqlalchemy as sa
from sqlalchemy import orm

from cattailer.store.models import Base, Group, Input, Mix, Route, Session, Track

WATCHED: tuple[type[Base], ...] = (Session, Input, Track, Group, Mix, Route)
_ORDER = {model.__tablename__: n for n, model in enumerate(WATCHED)}
_UNWATCHED = {"sessions": {"revision", "opened_at", "created_at", "folder", "id"}}

Images = dict[str, dict[str, Any] | None]


class Recorder:
    """Collects images of watched rows while ``db`` is flushed, however often."""

    def __init__(self, db: orm.Session) -> None:
        self.before: Images = {}
        self.after: Images = {}
        sa.event.listen(db, "before_flush", self._look)
        sa.event.listen(db, "after_flush", self._look_at_new)

    def _look(self, db: orm.Session, *_: Any) -> None:
        for row in db.dirty:
            if isinstance(row, WATCHED):
                self._note(_key(row), *_changes(row))
        for row in db.deleted:
            if isinstance(row, WATCHED):
                key, old = _key(row), {**_columns(row), **_changes(row)[0]}
                if key in self.after and self.before.get(key, {}) is None:
                    del self.before[key], self.after[key]  # made and removed in one edit
                else:
                    self.before[key] = {**old, **(self.before.get(key) or {})}
                    self.after[key] = None

    def _look_at_new(self, db: orm.Session, *_: Any) -> None:
        for row in db.new:
            if isinstance(row, WATCHED):
                key = _key(row)
                self.after[key] = _columns(row)
                self.before.setdefault(key, None)

    def _note(self, key: str, old: dict[str, Any], new: dict[str, Any]) -> None:
        if not new:
            return
        if self.before.get(key, {}) is not None:
            self.before[key] = {**old, **(self.before.get(key) or {})}
        self.after[key] = {**(self.after.get(key) or {}), **new}

    def settle(self) -> None:
        """Forgets columns that ended as they began."""
        for key in list(self.before):
            old, new = self.before[key], self.after[key]
            if old is None or new is None:
                continue
            same = [name for name in new if name in old and old[name] == new[name]]
            for name in same:
                del old[name], new[name]
            if not new:
                del self.before[key], self.after[key]


def put_back(db: orm.Session, session: Session, images: Images) -> None:
    """Makes the rows of a session what the images say. New rows come first where others name them."""
    for key in sorted(images, key=lambda k: _ORDER[k.partition("/")[0]]):
        table = key.partition("/")[0]
        model = WATCHED[_ORDER[table]]
        row = session if model is Session else _find(session, model, key)
        image = images[key]
        if image is None:
            if row is not None:
                _rows(session, model).remove(row)
        elif row is None:
            _rows(session, model).append(model(**image))
        else:
            for name, value in image.items():
                setattr(row, name, value)
    db.flush()


def _rows(session: Session, model: type[Base]) -> list[Any]:
    found: list[Any] = getattr(session, model.__tablename__)
    return found


def _find(session: Session, model: type[Base], key: str) -> Base | None:
    return next((row for row in _rows(session, model) if _key(row) == key), None)


def _key(row: Base) -> str:
    names = [c.name for c in sa.inspect(type(row)).primary_key if c.name != "session_id"]
    return "/".join([row.__tablename__, *(str(getattr(row, n)) for n in names)])


def _columns(row: Base) -> dict[str, Any]:
    skip = _UNWATCHED.get(row.__tablename__, set())
    return {c.key: _plain(getattr(row, c.key)) for c in sa.inspect(type(row)).column_attrs if c.key not in skip}


def _changes(row: Base) -> tuple[dict[str, Any], dict[str, Any]]:
    old, new = {}, {}
    skip = _UNWATCHED.get(row.__tablename__, set())
    state: Any = sa.inspect(row)
    for attribute in sa.inspect(type(row)).column_attrs:
        past = state.attrs[attribute.key].history
        if attribute.key not in skip and past.has_changes() and past.deleted:
            old[attribute.key], new[attribute.key] = _plain(past.deleted[0]), _plain(past.added[0])
    return old, new


def _plain(value: Any) -> Any:
    return list(value) if isinstance(value, (list, tuple)) else value

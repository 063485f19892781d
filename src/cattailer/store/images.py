"""Images of rows, before and after an edit, and putting them back.

``Recorder`` belongs to a database session and collects, by row, the columns that an edit changed.
"""

from collections.abc import Callable
from typing import Any

import sqlalchemy as sa
from sqlalchemy import orm

from cattailer.store.base import Base
from cattailer.store.comps import CellMark, Comp, Phrase
from cattailer.store.models import Group, Input, Mix, Return, Route, Run, Session, Take, Track

WATCHED: tuple[type[Base], ...] = (
    Session, Input, Track, Group, Return, Mix, Route, Run, Take, Phrase, Comp, CellMark
)
_ORDER = {model.__tablename__: n for n, model in enumerate(WATCHED)}
_UNWATCHED = {
    "sessions": {"revision", "takes_revision", "spans_revision", "plan_revision", "opened_at", "created_at", "folder",
                 "identity", "room", "id", "alone", "hearing", "kept", "media_root", "copy_root", "fallback_root"},
    "runs": {"verified", "copied"},
    "comps": {"made_at"},
}

_CAPTURED = (Run, Take)
"""Changed by edits, but made by captures alone."""
_MADE_OF_TAKES = (Phrase, Comp, CellMark)
"""Looked up one by one: a session may have thousands."""

_BESIDE_THE_PLAN = {"cell_marks", "phrases", "runs"}
_OF_TAKES = {"takes", "comps", *_BESIDE_THE_PLAN}
_OF_COMPS = {"comp_id", "comp_before", "together"}
"""Columns of tracks that say what is in use of their takes."""

Images = dict[str, dict[str, Any] | None]


class Recorder:
    """Collects images of watched rows as ``db`` writes them, however often it is flushed."""

    def __init__(self, db: orm.Session) -> None:
        self.before: Images = {}
        self.after: Images = {}
        self._db = db
        db.info["recorder"] = self

    def made(self, row: Base) -> None:
        key = _key(row)
        self.before.setdefault(key, None)
        self.after[key] = _columns(row)

    def changed(self, row: Base) -> None:
        old, new = _changes(row)
        if not new:
            return
        key = _key(row)
        if self.before.get(key, {}) is not None:
            self.before[key] = {**old, **(self.before.get(key) or {})}
        self.after[key] = {**(self.after.get(key) or {}), **new}

    def gone(self, row: Base) -> None:
        key = _key(row)
        if self.before.get(key, {}) is None:  # made and removed in one edit
            del self.before[key], self.after[key]
            return
        self.before[key] = {**_columns(row), **_changes(row)[0], **(self.before.get(key) or {})}
        self.after[key] = None

    def end(self) -> None:
        """Collects no more, for what is written later in the same transaction."""
        self._db.flush()
        self.settle()
        del self._db.info["recorder"]

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


def _tell(what: str) -> Callable[[Any, Any, Base], None]:
    def listener(_: Any, __: Any, row: Base) -> None:
        db = orm.object_session(row)
        recorder = db.info.get("recorder") if db is not None else None
        if recorder is not None:
            getattr(recorder, what)(row)

    return listener


for _model in WATCHED:
    sa.event.listen(_model, "after_insert", _tell("made"))
    sa.event.listen(_model, "before_update", _tell("changed"))
    sa.event.listen(_model, "before_delete", _tell("gone"))


def put_back(db: orm.Session, session: Session, images: Images) -> None:
    """Makes the rows of a session what the images say. New rows come first where others name them."""
    for key in sorted(images, key=lambda k: _ORDER[k.partition("/")[0]]):
        table = key.partition("/")[0]
        model = WATCHED[_ORDER[table]]
        row = session if model is Session else _find(db, session, model, key)
        image = images[key]
        if model in _MADE_OF_TAKES:
            _put_back_one(db, session, model, row, image)
        elif image is None:
            if row is not None and model not in _CAPTURED:
                _rows(session, model).remove(row)
        elif row is None:
            if model not in _CAPTURED:
                _rows(session, model).append(model(**image))
        else:
            for name, value in image.items():
                setattr(row, name, value)
    db.flush()


def _put_back_one(
    db: orm.Session, session: Session, model: type[Base], row: Base | None, image: dict[str, Any] | None
) -> None:
    if image is None:
        if row is not None:
            db.delete(row)
    elif row is not None:
        for name, value in image.items():
            setattr(row, name, value)
    elif image.get("session_id") == session.id and (
        "take_id" not in image or db.get(Take, image["take_id"]) is not None
    ):
        db.add(model(**image))


def _rows(session: Session, model: type[Base]) -> list[Any]:
    found: list[Any] = getattr(session, model.__tablename__)
    return found


def _find(db: orm.Session, session: Session, model: type[Base], key: str) -> Base | None:
    if model is Run:
        run = db.get(Run, int(key.partition("/")[2]))
        return run if run is not None and run.session_id == session.id else None
    if model in _MADE_OF_TAKES:
        made: Any = db.get(model, int(key.partition("/")[2]))
        return made if made is not None and made.session_id == session.id else None
    if model is Take:
        take = db.get(Take, int(key.partition("/")[2]))
        return take if take is not None and take.track.session_id == session.id else None
    return next((row for row in _rows(session, model) if _key(row) == key), None)


def merged(first: Images, then: Images) -> Images:
    """One image a row; of a column that both have, the second's."""
    out = dict(first)
    for key, image in then.items():
        old = out.get(key)
        out[key] = {**old, **image} if old is not None and image is not None else image
    return out


def moves_takes(images: Images) -> bool:
    """Whether an edit with these images changed takes, or the rate at which they are heard."""
    return any(key.startswith("takes/") or (key.startswith("sessions/") and "rate_hz" in (image or {}))
               for key, image in images.items())


def concerns_engine(images: Images) -> bool:
    """Whether an edit with these images may have changed the plan."""
    return any(key.partition("/")[0] not in _BESIDE_THE_PLAN for key in images)


def changes_plan(images: Images) -> bool:
    """Whether an edit with these images may have changed more of the plan than what sounds of takes."""
    return not all(
        key.partition("/")[0] in _OF_TAKES
        or (key.startswith("tracks/") and image is not None and image.keys() <= _OF_COMPS)
        for key, image in images.items()
    )


def moves_comps(images: Images) -> bool:
    """Whether an edit with these images changed comps, or which are in use."""
    return any(
        (key.startswith("comps/") and (image is None or "pieces" in image))
        or (key.startswith("tracks/") and "comp_id" in (image or {}))
        for key, image in images.items()
    )


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

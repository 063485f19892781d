"""What was kept by an older version is read by this one."""

import json
import uuid
from collections.abc import Iterator
from pathlib import Path

import pytest
import sqlalchemy as sa
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.config import Config
from alembic.migration import MigrationContext
from sqlalchemy import orm

from cattailer.services.session import demo
from cattailer.store import access, comps, kept, measured, models
from cattailer.store import database as module
from cattailer.store.base import Base
from cattailer.store.database import Database
from cattailer.store.images import put_back
from cattailer.store.kept import History
from cattailer.store.models import Session, Take

SESSION = {
    "title": "Old", "folder": "old", "interface": "marshgate-2", "rate_hz": 48000, "period": 128, "bits": 24,
    "tempo": "{}", "click": False, "code": "", "name_pattern": "{session}_{track}_run{run}", "away_inputs": [],
    "away_outputs": [], "accepted": [], "window_dbfs": [-18.0, -12.0], "reference_hz": 440.0, "tracking_period": 128,
    "mixing_period": 1024, "mixing": False, "clicking": "{}", "range_start": 0, "range_stop": 0, "looping": False, "revision": 3,
}


@pytest.fixture
def blank(database: Database) -> Iterator[Database]:
    """An empty database beside the one of the other tests."""
    name = f"old_{uuid.uuid4().hex[:8]}"
    with database.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(sa.text(f"CREATE DATABASE {name}"))
    made = Database(sa.make_url(database.url).set(database=name).render_as_string(hide_password=False))
    yield made
    made.engine.dispose()
    with database.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(sa.text(f"DROP DATABASE {name}"))


def upgrade(database: Database, revision: str) -> None:
    config = Config()
    config.set_main_option("script_location", str(Path(module.__file__).parent / "migrations"))
    with database.engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, revision)


def insert(db: orm.Session, table: str, **values: object) -> int:
    names, marks = ", ".join(values), ", ".join(f":{name}" for name in values)
    return int(db.execute(sa.text(f"INSERT INTO {table} ({names}) VALUES ({marks}) RETURNING id"), values).scalar_one())


def test_models_are_what_the_migrations_make(blank: Database) -> None:
    blank.migrate()
    with blank.engine.connect() as connection:
        assert all((access, comps, kept, measured, models)), "they are imported, so that the comparison knows them"
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []


def test_lead_ins_and_their_history_are_taken_along(blank: Database) -> None:
    upgrade(blank, "0005")
    with blank.transaction() as db:
        session = insert(db, "sessions", **SESSION, created_at="2026-05-04")
        track = insert(db, "tracks", session_id=session, place=1, name="Host", feeds=["in:1"], armed=False, fader_db=0.0, pan=0.0,
                       colour="", icon="", note="talks about \"head_open\" things", window_dbfs=[])
        media = [insert(db, "media", session_id=session, path=f"{n}.wav", channels=1, bits=24, rate_hz=48000, samples=99, crc32="")
                 for n in (1, 2)]
        run = insert(db, "runs", uuid="u", session_id=session, number=1, start=0, samples=99, rate_hz=48000, began_at="2026-05-04",
                     message="", note="", recovered=False, dropouts="[]", period=0, round_trip_samples=0, claimed_samples=0)
        take = insert(db, "takes", track_id=track, run_id=run, media_id=media[0], head_id=media[1], head_open=40, number=1, start=0,
                      samples=99, peak_dbfs=-9.0, clips=0, source="", gain_db=None)
        images = [json.dumps({f"takes/{take}": {"head_open": samples}}) for samples in (0, 40)]
        insert(db, "history", session_id=session, revision=2, at="2026-05-04", what="Lead-in", state="done", before=images[0],
               after=images[1])
    blank.migrate()
    with blank.transaction() as db:
        kept = db.get_one(Take, take)
        assert (kept.lead_in_samples, kept.lead_in.path if kept.lead_in else "") == (40, "2.wav")
        (entry,) = db.scalars(sa.select(History))
        put_back(db, db.get_one(Session, session), entry.before)
        db.flush()
        assert kept.lead_in_samples == 0, "undo reaches back to before"


def test_the_demo_of_before_is_known_by_its_folder(blank: Database) -> None:
    upgrade(blank, "0013")
    with blank.transaction() as db:
        columns = {**SESSION, "opened_at": None, "created_at": "2026-05-04"}
        missing = db.execute(sa.text(
            "SELECT column_name, data_type FROM information_schema.columns WHERE table_name = 'sessions' AND is_nullable = 'NO' "
            "AND column_default IS NULL"
        ))
        plain = {"integer": 0, "bigint": 0, "boolean": False, "ARRAY": [], "json": "{}", "jsonb": "{}"}
        columns |= {name: plain.get(kind, "") for name, kind in missing if name not in (*columns, "id")}
        ids = [insert(db, "sessions", **{**columns, "folder": folder}) for folder in ("old", "the-lamplighters-ferry")]
    blank.migrate()
    with blank.transaction() as db:
        found = {s.id: s.identity for s in db.scalars(sa.select(Session))}
    assert found[ids[1]] == demo.IDENTITY
    assert found[ids[0]] not in ("", demo.IDENTITY)

"""Services with a real database and a real engine."""

import json
from pathlib import Path

import pytest
from sqlalchemy import select

from cattailer.core.errors import Refusal
from cattailer.services.desk.desk import Desk
from cattailer.services.keeping import shelving
from cattailer.services.running import arming, transport
from cattailer.services.session import demo, inputs, opening, sessions, tracks
from cattailer.services.session.compiling import compile_plan
from cattailer.services.stages.takes import files
from cattailer.store.kept import History
from cattailer.store.models import Session
from tests.helpers.sessions import rows_of, stop, takes_of
from tests.helpers.waiting import pass_time


@pytest.mark.without_engine
def test_the_demo_is_made_once(desk: Desk) -> None:
    first = demo.load(desk)
    assert demo.load(desk) == first
    (card,) = sessions.list_sessions(desk)
    assert (card.title, card.tracks, card.runs) == ("The Lamplighter's Ferry", 10, 0)
    with desk.database.transaction() as db:
        plan = compile_plan(desk, db.get_one(Session, first))
    offline = demo.plan(False)
    assert (plan.preamps, plan.tempo) == (offline.preamps, offline.tempo)
    assert [(t.name, t.inputs, t.pan) for t in plan.tracks] == [(t.name, t.inputs, t.pan) for t in offline.tracks]
    assert plan.from_dict(json.loads(json.dumps(plan.to_dict()))) == plan


@pytest.mark.parametrize("state", ["renamed", "away", "bin", "no tracks", "no profile", "deleted", "folder taken"])
def test_the_demo_starts_again_in_every_state_of_its_session(desk: Desk, state: str) -> None:
    first = demo.load(desk)
    opening.open_session(desk, first)
    if state == "renamed":
        sessions.rename_session(desk, first, "An evening in the barn")
    if state in ("away", "bin", "deleted"):
        opening.open_session(desk, sessions.copy_session(desk, first, "Other"))
        shelving.shelve(desk, first, "away" if state == "away" else "bin", sure=True)
    if state == "deleted":
        shelving.delete_for_good(desk, first, True, True)
    with desk.database.transaction() as db:
        session = db.get(Session, first)
        if state == "no tracks":
            session.tracks.clear()
        if state == "no profile":
            session.interface = "gone-8"
            session.revision += 1
        if state == "folder taken":
            session.identity = "another session's"
    again = demo.load(desk)
    assert (again == first) == (state not in ("deleted", "folder taken"))
    said = opening.open_at_start(desk, again)
    assert ("gone-8" in said) == (state == "no profile")
    assert demo.load(desk) == again


@pytest.mark.without_engine
@pytest.mark.parametrize(("values", "words"), [
    (("", "marshgate-16", 48000, 128, 24), "empty"),
    (("x" * 10_000, "marshgate-16", 48000, 128, 24), "10,000 characters"),
    (("A", "marshgate-9", 48000, 128, 24), "No interface"),
    (("A", "marshgate-2", 96000, 128, 24), "does not run at"),
    (("A", "marshgate-2", 48000, 32, 24), "no buffer"),
    (("A", "marshgate-2", 48000, 64, 32), "does not write"),
])
def test_sessions_that_cannot_be(desk: Desk, values: tuple[str, str, int, int, int], words: str) -> None:
    with pytest.raises(Refusal, match=words):
        sessions.create_session(desk, values[0], sessions.Hardware(*values[1:]))
    assert sessions.list_sessions(desk) == []


@pytest.mark.without_engine
def test_every_edit_is_entered_with_both_images(desk: Desk) -> None:
    session = demo.load(desk)
    track = rows_of(desk, session)[2].id
    tracks.rename_track(desk, session, track, "  Violone  ")
    inputs.set_gain(desk, session, 3, 31.4)
    inputs.set_gain(desk, session, 3, 31.0)
    with desk.database.transaction() as db:
        entries = db.scalars(select(History).order_by(History.id)).all()
        told = [(h.what, h.before, h.after, h.revision) for h in entries]
    assert told == [
        ("Cello renamed to Violone", {f"tracks/{track}": {"name": "Cello"}}, {f"tracks/{track}": {"name": "Violone"}}, 2),
        ("Gain of socket 3 from +28 to +31 dB", {"inputs/3": {"gain_db": 28.0}}, {"inputs/3": {"gain_db": 31.0}}, 3),
    ]
    assert rows_of(desk, session)[2].gain_db == 31.0


def test_files_stay_below_the_media_folder(desk: Desk) -> None:
    session = sessions.create_session(desk, "../../etc/passwd", template="shipped-spoken")
    row = rows_of(desk, session)[0]
    tracks.rename_track(desk, session, row.id, "a/../../b")
    arming.arm_track(desk, session, row.id, True)
    transport.capture(desk, session)
    pass_time(desk.engine, 0.2)
    stop(desk, session)
    (take,) = takes_of(desk, session, 0)
    path = files.take_file(desk, session, take.id).path
    assert path.resolve().is_relative_to(Path(desk.media).resolve())
    assert path.name == "etc-passwd_a-..-..-b_run01.wav"

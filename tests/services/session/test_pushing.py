"""How the engine comes by what was committed: whole, or only what sounds of takes."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import pytest

from cattailer.core.plan import Plan
from cattailer.core.takes.pieces import Piece
from cattailer.engine.messages.commands import Command, RunPlan
from cattailer.engine.process.given import GivenPlan
from cattailer.services.desk.desk import Desk
from cattailer.services.running import arming
from cattailer.services.session import history, pushing, tracks, trying
from cattailer.services.stages.takes import choosing, phrasing
from cattailer.store.models import Take
from tests.helpers.capturing import armed
from tests.helpers.queries import queries
from tests.helpers.sessions import make_takes, plan_of


@pytest.fixture
def taken(desk: Desk) -> int:
    session = make_takes(desk)
    phrasing.draw(desk, session, "1", "1.2")
    return session


def take_of(desk: Desk) -> tuple[int, int]:
    """A take and its track."""
    with desk.database.transaction() as db:
        take = db.query(Take).order_by(Take.id).first()
        assert take is not None
        return take.id, take.track_id


def test_the_engine_always_has_the_plan_of_what_was_committed(
    desk: Desk, taken: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    given, seen = GivenPlan(), list[Plan]()
    sent = desk.live.find(taken, pushing.LiveSent)
    assert sent is not None
    sounds = {track: list(pieces) for track, pieces in sent.by_track.items()}
    ask = desk.engine.ask

    def spy(command: Command[Any], timeout_s: float | None = None) -> Any:
        answer = ask(command, timeout_s)
        if isinstance(command, RunPlan):
            for track in command.changed if command.base is not None else list(sounds):
                if command.pieces is not None:
                    sounds.pop(track, None)
            for plain in command.pieces or []:
                sounds.setdefault(plain[1], []).append(Piece.of(plain))
            seen.append(given.plan(command.plan, tuple(p for pieces in sounds.values() for p in pieces)))
        return answer

    monkeypatch.setattr(desk.engine, "ask", spy)
    take, track = take_of(desk)
    edits: list[Callable[[], object]] = [
        lambda: arming.arm_track(desk, taken, track, False),
        lambda: choosing.choose(desk, taken, take),
        lambda: tracks.rename_track(desk, taken, track, "Reeds"),
        lambda: phrasing.draw(desk, taken, "2", "2"),
        lambda: choosing.make(desk, taken, track, "second"),
        lambda: tracks.rename_track(desk, taken, track, "Reeds 2"),
        lambda: history.undo(desk, taken),
        lambda: history.undo(desk, taken),
        lambda: trying.set_tried(desk, taken, {str(track): {
            "take": take, "start": 0, "stop": 4000, "begins": 0, "rate_hz": 48_000}}),
        lambda: choosing.use(desk, taken, track),
        lambda: arming.arm_track(desk, taken, track, True),
        lambda: trying.end(desk, taken),
        lambda: history.undo(desk, taken),
        lambda: history.redo(desk, taken),
    ]
    for number, edit in enumerate(edits):
        seen.clear()
        edit()
        wanted = plan_of(desk, taken)
        if not seen:
            assert number == 3, "only a phrase is none of the engine's business"
            continue
        assert replace(seen[-1], pieces=()) == replace(wanted, pieces=()), number
        assert set(seen[-1].pieces) == set(wanted.pieces), number
        sent = desk.live.find(taken, pushing.LiveSent)
        assert sent is not None
        assert sent.plan == wanted


@pytest.mark.without_engine
def test_a_choice_reads_nothing_of_the_patch(desk: Desk, taken: int) -> None:
    take, track = take_of(desk)
    choosing.make(desk, taken, track, "one")
    choosing.choose(desk, taken, take)
    phrasing.draw(desk, taken, "2", "2")  # counts on, and is none of the engine's business
    choosing.make(desk, taken, track, "two")
    with queries(desk.database) as asked:
        choosing.compare(desk, taken, track)
    tables = ("inputs", "routes", "returns", "groups", "round_trips")
    assert not [q for q in asked if any(f"FROM {table}" in q.replace("\n", " ") for table in tables)]
    assert len(asked) <= 16


def test_what_did_not_change_is_the_same_object_again(desk: Desk) -> None:
    plan = plan_of(desk, armed(desk))
    given, plain = GivenPlan(), plan.to_dict()
    first = given.plan(plain, ())
    assert first == replace(plan, pieces=())
    piece = Piece(1, plan.tracks[0].id, "a.wav", 0, 100, 0)
    second = given.plan({**plain, "revision": 99, "takes_revision": 98}, (piece,))
    assert second.tracks is first.tracks
    assert (second.revision, second.takes_revision, second.pieces) == (99, 98, (piece,))
    third = given.plan({**plain, "click": not plan.click, "revision": 100}, (piece,))
    assert third == replace(plan, click=not plan.click, revision=100, pieces=(piece,))
    with pytest.raises(KeyError):
        given.plan({k: v for k, v in plain.items() if k != "takes_revision"} | {"click": not plan.click}, ())
    assert given.plan({**plain, "click": not plan.click, "revision": 100}, (piece,)) == third

"""Captures as steps of the history: whatever was edited, captured and discarded, undone and done again sounds as it did."""

import json
import shutil
from contextlib import suppress
from pathlib import Path

import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from cattailer.core.errors import Refusal
from cattailer.core.takes.pieces import Piece
from cattailer.media import journal
from cattailer.services.desk.desk import Desk
from cattailer.services.keeping import verifying
from cattailer.services.running import binning, runs
from cattailer.services.session import history, sessions, tracks
from cattailer.services.session.reading import get_session
from cattailer.services.sounding.comps import pieces_in_use
from cattailer.services.sounding.pieces import pieces_of
from cattailer.services.stages.takes import choosing, cutting, tightening
from cattailer.store.database import Database
from cattailer.store.kept import History
from cattailer.store.models import Run
from tests.helpers.capturing import all_runs
from tests.helpers.desks import NoEngine, empty
from tests.helpers.sessions import make_takes, rows_of, words

LONG = 24_000
"""How far apart captures begin, at most."""


@pytest.fixture(scope="module")
def desk(database: Database, tmp_path_factory: pytest.TempPathFactory) -> Desk:
    """One for all examples, each of which has a session of its own."""
    made = Desk(empty(database), NoEngine(), Path(tmp_path_factory.mktemp("media")))
    make_takes(made)
    return made


def new_session(desk: Desk) -> int:
    return sessions.create_session(desk, "Steps", template="shipped-spoken")


def captured(desk: Desk, session: int, start: int, over: str = "keep", roll: str = "", number_in_roll: int = 1) -> None:
    """As if the demo's run had been captured on the first two tracks."""
    with desk.database.transaction() as db:
        number = 1 + db.query(Run).filter(Run.session_id == session).count()
        of = get_session(db, session)
        folder, tracks_there = of.folder, [track.id for track in of.tracks]
    old = next(p for p in journal.find_all(desk.media) if "lamplighter" in str(p))
    new = desk.media / folder / f"run-{number:03}"
    shutil.copytree(old.parent, new)
    lines = (new / old.name).read_text().splitlines()
    first, name = json.loads(lines[0]), f"{session}-{number}"
    for file, track in zip(first["files"], tracks_there, strict=False):
        file["track"] = track
    first |= {"run": name, "number": number, "session": session, "start": start, "over": over,
              "roll": roll or name, "pass_number": number_in_roll}
    (new / old.name).write_text("\n".join([json.dumps(first), *lines[1:]]) + "\n")
    assert runs.enter_finished(desk, [new / old.name])
    while verifying.verify_one(desk):
        pass


def sounds(desk: Desk, session: int) -> tuple[Piece, ...]:
    with desk.database.transaction() as db:
        return pieces_of(desk, get_session(db, session))


def steps_of(desk: Desk, session: int) -> int:
    with desk.database.transaction() as db:
        return db.query(History).filter(History.session_id == session, History.state == "done").count()


KINDS = ("capture", "layer", "replace", "only", "split", "nudge", "gain", "erase", "choose", "layered", "tighten", "discard",
         "rename", "undo", "redo")


def act(desk: Desk, session: int, kind: str, a: int, b: int) -> None:
    with desk.database.transaction() as db:
        track = get_session(db, session).tracks[a % 2].id
        pieces = pieces_in_use(get_session(db, session), track)
    piece = pieces[b % len(pieces)] if pieces else None
    if kind in ("capture", "layer", "replace", "only"):
        captured(desk, session, b * 997 % LONG, {"capture": "keep"}.get(kind, kind))
    elif kind == "rename":
        tracks.rename_track(desk, session, track, f"Renamed {b}")
    elif kind == "discard":
        binning.discard(desk, session)
    elif piece is None:
        return
    elif kind == "split":
        cutting.split(desk, session, track, piece.start + 1 + b * 131 % piece.samples)
    elif kind == "nudge":
        cutting.nudge(desk, session, track, piece.start, b % 21, "ms", piece.key)
    elif kind == "gain":
        cutting.set_gain(desk, session, track, piece.start, -0.1 * (b % 30), piece.key)
    elif kind == "erase":
        cutting.erase(desk, session, track, piece.start + b, piece.start + b + 3000)
    elif kind in ("choose", "layered"):
        choosing.choose(desk, session, piece.take, layered=kind == "layered")
    elif kind == "tighten":
        tightening.set_tick(desk, session, track, piece.start + b * 31 % piece.samples)
        tightening.tighten(desk, session, track, 4, (b % 10) / 10, piece.key)


@settings(max_examples=12, phases=[Phase.explicit, Phase.generate])
@given(st.lists(st.tuples(st.sampled_from(KINDS), st.integers(0, 1), st.integers(0, 999)), min_size=8, max_size=30))
def test_after_any_undos_and_redos_it_sounds_as_it_did(desk: Desk, wishes: list[tuple[str, int, int]]) -> None:
    session = new_session(desk)
    heard = {steps_of(desk, session): sounds(desk, session)}
    for kind, a, b in [("capture", 0, 1), *wishes]:
        before = steps_of(desk, session)
        with suppress(Refusal):
            if kind in ("undo", "redo"):
                getattr(history, kind)(desk, session)
            else:
                act(desk, session, kind, a, b)
        now = steps_of(desk, session)
        if kind in ("undo", "redo") or now == before:
            assert sounds(desk, session) == heard[now], kind
        else:
            heard = {n: sound for n, sound in heard.items() if n <= before}
            # An edit of several steps: those between are not looked at.
            heard |= {n: heard.get(n, ()) for n in range(before + 1, now)} | {now: sounds(desk, session)}
            if now - before > 1:
                wanted = heard[now]
                for _ in range(now - before):
                    history.undo(desk, session)
                    heard[steps_of(desk, session)] = sounds(desk, session)
                assert heard[before] == sounds(desk, session)
                for _ in range(now - before):
                    history.redo(desk, session)
                assert sounds(desk, session) == wanted
    whole, there = sounds(desk, session), steps_of(desk, session)
    while steps_of(desk, session):
        history.undo(desk, session)
        assert sounds(desk, session) == heard[steps_of(desk, session)]
    assert sounds(desk, session) == (), "undone to the first step"
    for _ in range(there - steps_of(desk, session)):
        history.redo(desk, session)
    assert sounds(desk, session) == whole


def test_undo_of_a_capture_puts_it_into_the_bin_and_gives_back_what_was_there(desk: Desk) -> None:
    session = new_session(desk)
    captured(desk, session, 0)
    first = sounds(desk, session)
    track = rows_of(desk, session)[0].id
    choosing.make(desk, session, track, "evening")
    captured(desk, session, 5000, "replace")
    second = sounds(desk, session)
    assert history.undo(desk, session).startswith("Take 2 captured")
    assert sounds(desk, session) == first
    with desk.database.transaction() as db:
        assert [b.number for b in binning.in_bin(db, session)] == [2]
    assert len(all_runs(desk, session)) == 2, "nothing is deleted"
    history.redo(desk, session)
    assert sounds(desk, session) == second
    history.undo(desk, session)
    captured(desk, session, 9000)
    with pytest.raises(Refusal, match="nothing to redo"):
        history.redo(desk, session)
    assert {p.take for p in sounds(desk, session)} >= {t.id for t in all_runs(desk, session)[-1].takes}


def test_the_passes_of_one_capture_are_one_step(desk: Desk) -> None:
    session = new_session(desk)
    for n in (1, 2, 3):
        captured(desk, session, 4000, roll="one", number_in_roll=n)
    assert words(desk, session)[0] == "Takes 1 to 3 captured"
    history.undo(desk, session)
    assert sounds(desk, session) == ()
    history.redo(desk, session)
    assert len(all_runs(desk, session)) == 3

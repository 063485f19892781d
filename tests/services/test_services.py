"""Services with a real database and a real engine."""

import json
import shutil
from pathlib import Path

import pytest
from sqlalchemy import select

from cattailer.core.errors import NotFound, NotNow, Refusal
from cattailer.media import journal, wavfile
from cattailer.services import demo, inputs, room, runs, sessions, sheet, takes, tracks, transport
from cattailer.services.desk import Desk
from cattailer.services.planning import compile_plan
from cattailer.store.models import History, Session
from tests.conftest import pass_time


def make_takes(desk: Desk, seconds: float = 0.4, armed: tuple[int, ...] = (1, 6)) -> int:
    session = demo.load(desk)
    ids = [row.id for row in sheet.show(desk, session).rows]
    for number, track in enumerate(ids, 1):
        tracks.arm_track(desk, session, track, number in armed)
    transport.capture(desk, session)
    pass_time(desk.engine, seconds)
    transport.stop(desk, session)
    return session


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


def test_every_edit_is_entered_with_both_images(desk: Desk) -> None:
    session = demo.load(desk)
    track = sheet.show(desk, session).rows[2].id
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
    assert sheet.show(desk, session).rows[2].gain_db == 31.0


def test_what_is_unknown_is_told(desk: Desk) -> None:
    session = demo.load(desk)
    for call in (
        lambda: sheet.show(desk, 999), lambda: tracks.arm_track(desk, session, 999, True),
        lambda: inputs.set_gain(desk, session, 17, 10), lambda: takes.take_file(desk, session, 1),
        lambda: sessions.open_session(desk, 77),
    ):
        with pytest.raises(NotFound):
            call()
    with pytest.raises(Refusal, match="outside"):
        inputs.set_gain(desk, session, 3, 66)


def test_from_capture_to_takes(desk: Desk) -> None:
    session = make_takes(desk)
    shown = sheet.show(desk, session)
    (run,) = shown.runs
    assert (run.number, run.tracks, run.dropouts) == (1, 2, 0)
    drum = shown.rows[5]
    (take,) = drum.takes
    file = takes.take_file(desk, session, take.id)
    assert file.download_name == "The-Lamplighters-Ferry_Frame-drum_run01.wav"
    info = wavfile.inspect(file.path)
    assert info.frames >= 48000 * 0.3
    assert not info.cut_short
    wave = takes.take_waveform(desk, session, take.id, 50)
    assert len(wave) == 100
    assert max(wave) > 3
    lanes = takes.lanes(desk, session, 0, 48000, 100)
    assert set(lanes) == {shown.rows[0].id, drum.id}
    assert any(lanes[drum.id][:40])
    assert not any(lanes[drum.id][2 * int(100 * info.frames / 48000) + 4 :])
    assert shown.marks == {"patch": "settled", "levels": "untouched", "timing": "untouched", "capture": "settled", "takes": "settled"}
    with desk.database.transaction() as db:
        plan = compile_plan(desk, db.get_one(Session, session))
    assert [(p.track, p.samples) for p in plan.line] == [(shown.rows[0].id, info.frames), (drum.id, info.frames)]
    make_takes(desk)
    assert [t.number for t in sheet.show(desk, session).rows[5].takes] == [2, 1]


def test_nothing_armed_is_refused(desk: Desk) -> None:
    session = demo.load(desk)
    with pytest.raises(NotNow, match="No track is armed"):
        transport.capture(desk, session)


def test_a_capture_forbids_what_would_disturb_it(desk: Desk) -> None:
    session = demo.load(desk)
    row = sheet.show(desk, session).rows[0]
    tracks.arm_track(desk, session, row.id, True)
    transport.capture(desk, session)
    other = sessions.create_session(desk, "Other", sessions.Hardware("marshgate-2"))
    for call in (
        lambda: tracks.arm_track(desk, session, row.id, False), lambda: tracks.arm_all(desk, session, True),
        lambda: transport.capture(desk, session), lambda: sessions.open_session(desk, other),
        lambda: transport.locate(desk, session, 0),
    ):
        with pytest.raises(Refusal) as why:
            call()
        assert why.value.status == 409
    with pytest.raises(NotNow, match="48 V must wait"):
        inputs.switch(desk, session, 1, "phantom", False)
    tracks.rename_track(desk, session, row.id, "Renamed while capturing")
    inputs.set_gain(desk, session, 1, 30)
    pass_time(desk.engine, 0.2)
    transport.stop(desk, session)
    assert len(sheet.show(desk, session).rows[0].takes) == 1
    sessions.open_session(desk, other)
    assert desk.engine_state()["session"] == other


def test_entering_twice_changes_nothing(desk: Desk) -> None:
    session = make_takes(desk)
    before = sheet.show(desk, session)
    assert runs.enter_finished(desk) == []
    (path,) = journal.find_all(desk.media)
    runs.enter_finished(desk, [path])
    assert sheet.show(desk, session) == before


def test_a_broken_off_run_is_recovered_and_entered(desk: Desk) -> None:
    session = make_takes(desk)
    (path,) = journal.find_all(desk.media)
    folder = path.parent.with_name("run-002")
    shutil.copytree(path.parent, folder)
    head, *_ = (folder / path.name).read_text().splitlines()
    changed = {**json.loads(head), "run": "u-2", "number": 2}
    (folder / path.name).unlink()
    (folder / "run-002.journal.jsonl").write_text(json.dumps(changed) + "\n")
    (story,) = runs.recover(desk, desk.media)
    assert story.samples > 0
    newest = sheet.show(desk, session).runs[0]
    assert (newest.number, newest.recovered, newest.tracks) == (2, True, 2)
    assert runs.recover(desk, desk.media) == []


def test_a_missing_file_is_told_and_the_rest_plays(desk: Desk) -> None:
    session = make_takes(desk)
    take = sheet.show(desk, session).rows[0].takes[0]
    file = takes.take_file(desk, session, take.id)
    file.path.unlink()
    shutil.rmtree(file.path.parent / "overview")
    with pytest.raises(NotFound, match="put it back"):
        takes.take_file(desk, session, take.id)
    assert not any(takes.take_waveform(desk, session, take.id, 20))
    for position in (48000 * 3600, 0):  # so that it is read from disk anew
        transport.locate(desk, session, position)
        pass_time(desk.engine, 0.2)
    transport.roll(desk, session)
    pass_time(desk.engine, 0.2)
    assert desk.engine_state()["missing"] == [str(file.path)]
    transport.stop(desk, session)


def test_bars_are_steps_and_the_players_obey(desk: Desk) -> None:
    session = demo.load(desk)
    sessions.open_session(desk, session)
    bar = demo.tempo().sample_of
    positions = [transport.move_bars(desk, session, by)["position"] for by in (1, 1, -1, -1, -1)]
    assert positions == [bar(2), bar(3), bar(2), 0, 0]
    modes = room.ask_players(desk, "rest")
    assert len(modes) == 7
    assert set(room.ask_players(desk, "perform", "cello").values()) <= {"rest", "perform", "follow"}
    with pytest.raises(Refusal, match="Players can"):
        room.ask_players(desk, "dance")
    sessions.set_click(desk, session, True)
    assert sheet.show(desk, session).click
    assert sheet.window(desk, session, bar(17)).bars[0] == (17, bar(17))


def test_words_for_disk_time() -> None:
    assert [transport.time_left_text(m) for m in (3.7, 75, 6000)] == ["3 min", "1 h 15 min", "100 h"]


def test_files_stay_below_the_media_folder(desk: Desk) -> None:
    session = sessions.create_session(desk, "../../etc/passwd", template="shipped-spoken")
    row = sheet.show(desk, session).rows[0]
    tracks.rename_track(desk, session, row.id, "a/../../b")
    tracks.arm_track(desk, session, row.id, True)
    transport.capture(desk, session)
    pass_time(desk.engine, 0.2)
    transport.stop(desk, session)
    (take,) = sheet.show(desk, session).rows[0].takes
    path = takes.take_file(desk, session, take.id).path
    assert path.resolve().is_relative_to(Path(desk.media).resolve())
    assert path.name == "etc-passwd_a-..-..-b_run01.wav"

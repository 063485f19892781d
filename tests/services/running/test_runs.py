"""Runs: capturing, entering, recovering."""

import shutil

import pytest

from cattailer.core.errors import NotFound, NotNow, Refusal, Sure
from cattailer.media import recovery, wavfile
from cattailer.services.desk.desk import Desk
from cattailer.services.keeping import placing
from cattailer.services.running import arming, frame, runs, transport
from cattailer.services.session import demo, inputs, opening, sessions, tracks
from cattailer.services.session.compiling import compile_plan
from cattailer.services.session.reading import get_session
from cattailer.services.stages.capture import lanes
from cattailer.services.stages.takes import files
from cattailer.services.stages.timing import clicking, tempo
from cattailer.store.models import Session
from cattailer.web.app import create_app
from tests.helpers.sessions import capture, capture_for, counted, make_takes, rows_of, stop, takes_of
from tests.helpers.waiting import pass_time, wait_for


def test_a_count_in_that_is_stopped_leaves_no_run(desk: Desk) -> None:
    session = counted(desk, 4, 60.0)
    transport.capture(desk, session)
    with pytest.raises(Refusal, match="already running"):
        transport.capture(desk, session)
    with pytest.raises(NotNow, match="must wait"):
        tempo.set_tempo(desk, session, 1, 100.0)
    stop(desk, session)
    assert frame.show(desk, session).deck.runs == []
    wait_for(lambda: list(desk.media.glob("*/run-*")) == [])
    clicking.change(desk, session, {"count_bars": 0})
    transport.capture(desk, session)
    pass_time(desk.engine, 0.3)
    stop(desk, session)
    assert [run.number for run in frame.show(desk, session).deck.runs] == [1]


def test_a_crash_after_the_count_loses_neither(desk: Desk) -> None:
    """Journals that broke off are mended, the lead-in's too, and entered as one run."""
    session = counted(desk)
    capture(desk, session)
    (journal_path,) = desk.media.glob("*/run-*/*.jsonl")
    lead_in_path = journal_path.parent / "head" / journal_path.name
    with desk.database.transaction() as db:
        db.delete(get_session(db, session).runs[0])
    runs.journals_of(desk).settled.clear()
    for path in (journal_path, lead_in_path):
        kept = [text for text in path.read_text().splitlines() if '"kind": "end"' not in text]
        path.write_text("\n".join(kept) + "\n")
    assert len(runs.recover(desk, desk.media).mended) == 1
    line = takes_of(desk, session, 0)[0]
    assert (line.lead_in, line.recovered) == ("hidden", True)
    assert runs.recover(desk, desk.media) == recovery.Report()


def test_from_capture_to_takes(desk: Desk) -> None:
    session = make_takes(desk)
    shown = frame.show(desk, session)
    (run,) = shown.deck.runs
    assert (run.number, run.dropouts) == (1, 0)
    first, *_, drum = rows_of(desk, session)[:6]
    (take,) = takes_of(desk, session, 5)
    file = files.take_file(desk, session, take.id)
    assert file.download_name == "The-Lamplighters-Ferry_Frame-drum_run01.wav"
    info = wavfile.inspect(file.path)
    assert info.frames >= 48000 * 0.3
    assert not info.cut_short
    wave = files.take_waveform(desk, session, take.id, 50)
    assert len(wave) == 100
    assert max(wave) > 3
    drawn = lanes.waveforms(desk, session, 0, 48000, 100)
    assert set(drawn) == {first.id, drum.id}
    assert any(drawn[drum.id][:40])
    assert not any(drawn[drum.id][2 * int(100 * info.frames / 48000) + 4 :])
    assert shown.marks == {"patch": "settled", "levels": "untouched", "timing": "untouched", "listen": "settled", "capture": "look", "takes": "settled"}, "the round trip was never measured"
    with desk.database.transaction() as db:
        plan = compile_plan(desk, db.get_one(Session, session))
    assert [(p.track, p.samples) for p in plan.pieces] == [(first.id, info.frames), (drum.id, info.frames)]
    capture_for(desk, session, 0.1)
    assert [t.number for t in takes_of(desk, session, 5)] == [2, 1]


def test_a_capture_forbids_what_would_disturb_it(desk: Desk) -> None:
    session = demo.load(desk)
    row = rows_of(desk, session)[0]
    arming.arm_track(desk, session, row.id, True)
    transport.capture(desk, session)
    other = sessions.create_session(desk, "Other", sessions.Hardware("marshgate-2"))
    for call in (
        lambda: arming.arm_track(desk, session, row.id, False), lambda: arming.arm_all(desk, session, False),
        lambda: transport.capture(desk, session), lambda: opening.open_session(desk, other),
        lambda: transport.locate(desk, session, 0), lambda: tracks.remove_track(desk, session, row.id),
        lambda: placing.choose(desk, session, "media", ""), lambda: transport.keep_heard(desk, session),
    ):
        with pytest.raises(Refusal) as why:
            call()
        assert why.value.status == 409
    with pytest.raises(NotNow, match="48 V must wait"):
        inputs.switch(desk, session, 1, "phantom", False)
    tracks.rename_track(desk, session, row.id, "Renamed while capturing")
    inputs.set_gain(desk, session, 1, 30)
    pass_time(desk.engine, 0.2)
    stop(desk, session)
    assert len(takes_of(desk, session, 0)) == 1
    opening.open_session(desk, other)
    assert desk.engine_state().session == other


def test_a_missing_file_is_told_and_the_rest_plays(desk: Desk) -> None:
    session = make_takes(desk)
    take = takes_of(desk, session, 0)[0]
    file = files.take_file(desk, session, take.id)
    file.path.unlink()
    shutil.rmtree(file.path.parent / "overview")
    with pytest.raises(NotFound, match="put it back"):
        files.take_file(desk, session, take.id)
    assert not any(files.take_waveform(desk, session, take.id, 20))
    for position in (48000 * 3600, 0):  # so that it is read from disk again
        transport.locate(desk, session, position)
        pass_time(desk.engine, 0.2)
    transport.roll(desk, session)
    pass_time(desk.engine, 0.2)
    assert desk.engine_state().missing == [str(file.path)]
    stop(desk, session)


def test_a_session_that_is_not_open_asks_before_it_takes_the_engine(desk: Desk) -> None:
    session = make_takes(desk)
    other = sessions.copy_session(desk, session, "Another evening")
    arming.arm_all(desk, other, True)
    for press in (
        lambda: transport.capture(desk, other), lambda: transport.roll(desk, other), lambda: transport.play_from(desk, other, 0),
    ):
        with pytest.raises(Sure, match="is open in the studio") as asked:
            press()
        assert asked.value.answer == opening.OPEN_IT
        assert desk.engine_state().session == session
    app = create_app(desk).test_client()
    refused = app.post(f"/s/{other}/roll")
    assert (refused.status_code, refused.headers["Cattailer-Answer"]) == (409, "open")
    assert app.post(f"/s/{other}/capture", data={"sure": "open"}).status_code == 204
    assert desk.engine_state().session == other
    stop(desk, other)

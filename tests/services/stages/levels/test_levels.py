"""What people do on the Levels stage, with a real database and an engine on the wall clock."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.sound.tuner import Note, note_of
from cattailer.services.desk import standin
from cattailer.services.desk.desk import Desk
from cattailer.services.running import frame, room, runs
from cattailer.services.running.stageline import LiveFindings
from cattailer.services.session import demo, history, inputs, opening, sessions
from cattailer.services.session.compiling import compile_plan
from cattailer.services.session.reading import get_session
from cattailer.services.stages.levels import knobs, noise, pairing, show, soundcheck, tuning, watch, windows
from cattailer.services.stages.levels.live import LiveKnob, LiveLevels
from cattailer.store.measured import Check
from tests.helpers.sessions import takes_of
from tests.helpers.waiting import pass_time, wait_for


def lines(desk: Desk, session: int) -> list[str]:
    with desk.database.transaction() as db:
        return [line.what for line in history.lines(db, session)]


def rows(desk: Desk, session: int) -> dict[int, show.LevelRow]:
    return {r.socket: r for r in show.show(desk, session).rows}


def heard(desk: Desk, session: int, seconds: float) -> None:
    wait_for(lambda: desk.live.of(session, LiveLevels).check.seconds >= seconds)


def said_of(desk: Desk, session: int, socket: int, peak: float, phase: str = "check", minutes: int = 0, source: str = "cello") -> None:
    with desk.database.transaction() as db:
        row = {"socket": socket, "source": source, "gain_db": 28.0, "peak_dbfs": peak, "true_peak_dbtp": peak, "rms_dbfs": -40.0,
               "crest_db": 12.0, "clips": 0, "floor_dbfs": -80.0, "octaves": [], "quiet": []}
        db.add(Check(session_id=session, phase=phase, seconds=9.0, rows=[row], at=datetime.now(UTC) - timedelta(minutes=minutes)))


@pytest.mark.without_engine
def test_a_newer_check_and_a_changed_gain_count(desk: Desk) -> None:
    session = demo.load(desk)
    said_of(desk, session, 3, -8.0, minutes=9)
    said_of(desk, session, 3, -20.0, minutes=1)
    assert rows(desk, session)[3].advised.advice.kind == "leave"
    inputs.set_gain(desk, session, 3, 40)
    assert rows(desk, session)[3].advised.advice.gain_db in (25.0, 26.0)
    windows.set_window(desk, session, -12, -6)
    assert rows(desk, session)[3].window == (-12.0, -6.0)
    windows.set_own_window(desk, session, 3, (-30.0, -24.0))
    row = rows(desk, session)[3]
    assert (row.window, row.own_window) == ((-30.0, -24.0), True)
    assert row.advised.advice.gain_db < 20
    with desk.database.transaction() as db:
        plan = compile_plan(desk, get_session(db, session))
    assert (plan.window, plan.windows()[2], plan.windows()[3]) == ((-12.0, -6.0), (-30.0, -24.0), (-12.0, -6.0))
    windows.set_own_window(desk, session, 3, None)
    for low, high in ((-6, -12), (-18, 3), (-90, -12), (-12, -11)):
        with pytest.raises(Refusal, match="target window lies between"):
            windows.set_window(desk, session, low, high)


def test_what_is_wrong_is_heard_while_the_page_is_open(desk: Desk) -> None:
    session = demo.load(desk)
    inputs.switch(desk, session, 3, "phantom", False, sure=True)
    opening.open_session(desk, session)
    room.rig(desk, session, "cello pickup", "di", False)
    room.hum(desk, session, 6, -50.0)
    standin.ask_players(desk, "rest")
    watch.keep_watching(desk, session)
    found = desk.live.of(session, LiveFindings)
    wait_for(lambda: [f for f in found.get("levels") if "hums at 50 Hz" in f.text])
    texts = " ".join(f.text for f in found.get("levels"))
    assert "Cello is silent: a condenser needs 48 V" in texts
    assert found.get("levels")[0].kind == "stop"
    assert frame.show(desk, session).marks["levels"] == "look"
    inputs.set_pickup(desk, session, 4, "instrument")

    def dull() -> bool:
        watch.keep_watching(desk, session)  # as an open page does
        return any("dull above" in f.text for f in found.get("levels"))

    wait_for(dull)


def test_a_knob_is_seen_to_be_turned(desk: Desk) -> None:
    session = sessions.create_session(desk, "Small", sessions.Hardware("marshgate-2"), "shipped-spoken")
    inputs.switch(desk, session, 1, "phantom", True, sure=True)
    inputs.set_text(desk, session, 1, "label", "Host")
    inputs.set_gain(desk, session, 1, 20)
    opening.open_session(desk, session)
    with pytest.raises(NotNow, match="nothing to turn"):
        knobs.begin(desk, session, 1)
    standin.ask_players(desk, "check")
    soundcheck.begin(desk, session, "performance", [1])
    heard(desk, session, 6)
    soundcheck.end(desk, session)
    row = rows(desk, session)[1]
    assert not row.remote
    assert row.advised.advice.short.startswith("Turn the knob up by")
    with pytest.raises(NotNow, match="nothing to change"):
        soundcheck.apply(desk, session)
    knobs.begin(desk, session, 1)
    assert "Listening first" in show.show(desk, session).knob_words
    wait_for(lambda: desk.live.of(session, LiveLevels).knob.before_dbfs is not None)
    room.turn_knob(desk, session, 1, 20 + round(row.advised.advice.gain_db - 20))
    wait_for(lambda: desk.live.of(session, LiveLevels).knob is None)
    assert rows(desk, session)[1].input.gain_db == pytest.approx(row.advised.advice.gain_db, abs=0.1)
    assert "Knob of socket 1 turned" in lines(desk, session)[0]


def test_what_a_knob_still_needs_is_said() -> None:
    assert knobs.words(LiveKnob(1, -12.0)) == "Listening first: keep playing at socket 1."
    assert knobs.words(LiveKnob(1, -12.0, -20.0, -5.0)) == "Turn down by 7 dB more (+5 of 12 dB done)."
    assert knobs.words(LiveKnob(1, -12.0, -20.0, -16.0)) == "Turn up by 4 dB more (+16 of 12 dB done)."
    assert knobs.words(LiveKnob(1, 9.0, -20.0, 8.2)) == "That is it. Keep it there."


def test_noise_is_measured_at_rest_and_room_tone_is_kept_apart(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    session = demo.load(desk)
    assert noise.newest(desk, session) == ("", [])
    noise.measure(desk, session)
    wait_for(lambda: noise.newest(desk, session)[1])
    found = {r.socket: r for r in noise.newest(desk, session)[1]}
    assert found[8].who == "room"
    assert found[4].who == "converter"
    assert set(found) == set(range(1, 11))
    assert all(max(r.converter_dbfs, r.preamp_dbfs) - 1.0 < r.floor_dbfs < -50 for r in found.values()), "never below its parts"
    monkeypatch.setattr(noise, "TONE_S", 1.0)
    noise.keep_room_tone(desk, session)
    wait_for(lambda: runs.enter_finished(desk) or frame.show(desk, session).deck.runs)
    take = takes_of(desk, session, 0)[0]
    assert take.start != "00:00.000"
    assert frame.show(desk, session).deck.armed == 0
    assert any(": Room tone" in line for line in lines(desk, session))


def test_two_rows_compared_and_noted(desk: Desk) -> None:
    session = demo.load(desk)
    with pytest.raises(NotNow, match="Another session"):
        pairing.compare_rows(desk, session, 1, 2)
    opening.open_session(desk, session)
    standin.ask_players(desk, "rest")
    standin.ask_players(desk, "perform", "cello")
    pass_time(desk.engine, 5)
    found = pairing.compare_rows(desk, session, 3, 4).found
    assert found.offset_samples == pytest.approx(-84, abs=1)
    for first, second, why in ((3, 3, "two different"), (3, 99, "no socket 99")):
        with pytest.raises(Refusal, match=why):
            pairing.compare_rows(desk, session, first, second)
    with pytest.raises(NotNow, match="silent"):
        pairing.compare_rows(desk, session, 3, 16)
    pairing.note_offset(desk, session, 3, 4, found.offset_samples, found.offset_cm)
    assert "60 cm) behind Cello pickup" in rows(desk, session)[3].input.note
    def played() -> Note | None:
        return tuning.hear(desk, session, 4, 440.0)

    note = wait_for(played)
    assert isinstance(note, Note)
    assert 27.5 <= note.hz <= 1400, "or the period that two strings share"
    assert note_of(note.hz, 440.0) == replace(note, clarity=1.0)
    with pytest.raises(Refusal, match="between 390 and 470"):
        tuning.set_reference(desk, session, 200.0)
    tuning.set_reference(desk, session, 442.0)
    assert tuning.reference(desk, session) == 442.0


def test_clips_are_told_until_they_are_forgotten(desk: Desk) -> None:
    session = demo.load(desk)
    opening.open_session(desk, session)
    inputs.set_gain(desk, session, 6, 60)
    watch.keep_watching(desk, session)
    found = desk.live.of(session, LiveFindings)
    wait_for(lambda: any(f.key == "level:clip:6" for f in found.get("levels")))
    inputs.set_gain(desk, session, 6, 20)
    watch.forget_clips(desk, session, 6)
    assert not [f for f in found.get("levels") if f.key == "level:clip:6"]

"""What people do on the Timing stage, with a real database and an engine on the wall clock."""

import pytest

from cattailer.core.errors import Refusal
from cattailer.services.desk.desk import Desk
from cattailer.services.running import arming, frame, room, transport
from cattailer.services.session import demo, history, opening
from cattailer.services.stages.timing import buffers, correction, roundtrip, tempo
from tests.helpers.sessions import plan_of, stop, the_map
from tests.helpers.waiting import hurry, pass_time


@hurry()
def test_using_a_measurement_measures_once_more(desk: Desk) -> None:
    session = demo.load(desk)
    opening.open_session(desk, session)
    room.loop_back(desk, session, 1, 16, "cable")
    exact = roundtrip.measure(desk, session, 1, 16, "cable")
    told = correction.use_and_verify(desk, session, exact.id, 1, 16, "cable")
    assert (told.used, told.result and told.result.lands) == (True, True)
    assert "lands within one sample" in told.words
    assert frame.show(desk, session).marks["timing"] == "settled", "a driver that is right was measured, too"
    room.claim(desk, session, 37)
    found = roundtrip.measure(desk, session, 1, 16, "cable")
    assert found.lands is False
    room.claim(desk, session, 60)
    told = correction.use_and_verify(desk, session, found.id, 1, 16, "cable")
    assert not told.used
    assert "the round trip was 392.0 samples" in told.words
    assert plan_of(desk, session).correction_samples == 0
    assert [p.used for p in correction.standing(desk, session).history] == [False, False, False, True], "as before"
    room.loop_back(desk, session, 1, 16, "none")
    told = correction.use_and_verify(desk, session, found.id, 1, 16, "cable")
    assert told.used
    assert "not seen to land: No signal came in" in told.words
    assert plan_of(desk, session).correction_samples == 37
    correction.use(desk, session, exact.id)
    assert plan_of(desk, session).correction_samples == 0, "an older one counts when it was chosen last"
    transport.roll(desk, session)
    told = correction.use_and_verify(desk, session, found.id, 1, 16, "cable")
    assert "not seen to land" in told.words
    stop(desk, session)


def test_buffers_for_tracking_and_mixing(desk: Desk) -> None:
    session = demo.load(desk)
    opening.open_session(desk, session)
    ladder = buffers.show(desk, session)
    assert (ladder.tracking, ladder.mixing, ladder.in_use, ladder.measured) == (128, 1024, "tracking", False)
    transport.roll(desk, session)
    pass_time(desk.engine, 0.3)
    buffers.use_for(desk, session, "mixing")
    state = desk.engine_state()
    assert (state.state, plan_of(desk, session).period) == ("rolling", 1024)
    assert state.position > 4000, "it goes on where it was"
    stop(desk, session)
    assert "buffer for mixing is in use" in frame.show(desk, session).deck.findings[0].text
    buffers.choose_buffer(desk, session, "mixing", 512)
    assert plan_of(desk, session).period == 512
    history.undo(desk, session)
    assert plan_of(desk, session).period == 1024
    buffers.use_for(desk, session, "tracking")
    assert plan_of(desk, session).period == 128
    with pytest.raises(Refusal, match="no buffer of 100"):
        buffers.choose_buffer(desk, session, "tracking", 100)
    buffers.measure_load(desk, session)
    rungs = buffers.show(desk, session).rungs
    assert all(r.load is not None and r.load > 0 for r in rungs)
    assert rungs[0].load > rungs[-1].load
    arming.arm_track(desk, session, 3, True)
    transport.capture(desk, session)
    for call in (lambda: buffers.use_for(desk, session, "mixing"), lambda: buffers.choose_buffer(desk, session, "tracking", 64),
                 lambda: buffers.measure_load(desk, session), lambda: tempo.set_tempo(desk, session, 1, 100),
                 lambda: roundtrip.measure(desk, session, 1, 16, "cable"), lambda: correction.forget(desk, session)):
        with pytest.raises(Refusal) as why:
            call()
        assert why.value.status == 409
    stop(desk, session)


@pytest.mark.without_engine
def test_the_tempo_map_is_edited_bar_by_bar(desk: Desk) -> None:
    session = demo.load(desk)
    tempo.set_tempo(desk, session, 9, 120.0)
    tempo.set_tempo(desk, session, 1, 92.0, ramp=True)
    made = the_map(desk, session)
    assert made.bpm_at(made.quarter_of(5)) == pytest.approx(106.0)
    tempo.set_meter(desk, session, 5, 7, 8)
    made = the_map(desk, session)
    assert [m.bar for m in made.meters] == [1, 5]
    assert made.bar_beat_at(made.sample_at(made.tempi[1].quarter)).bar == 9, "the tempo change stays at its bar"
    shown = tempo.show(desk, session)
    assert [(r.bar, r.bpm, r.ramp, r.meter) for r in shown.rows] == [(1, "92", True, "3/4"), (5, "", False, "7/8"), (9, "120", False, "")]
    tempo.set_tempo(desk, session, 100_000, 90.0)
    far = tempo.show(desk, session).picture
    assert len(far.points) < 400, "drawn where something changes, not bar by bar"
    assert len(far.bars) <= 16
    assert far.points[-1][0] == 1.0
    tempo.remove(desk, session, 100_000)
    tempo.remove(desk, session, 5)
    tempo.remove(desk, session, 9)
    tempo.set_bar_one(desk, session, 48_000)
    assert the_map(desk, session).sample_of(1) == 48_000
    history.undo(desk, session)
    assert the_map(desk, session).sample_of(1) == 0
    before = the_map(desk, session)
    for call, words in (
        (lambda: tempo.set_tempo(desk, session, 1, 0.0), "tempo must be 10 to 400"), (lambda: tempo.set_tempo(desk, session, 1, -3.0), "10 to 400"),
        (lambda: tempo.set_tempo(desk, session, 1, 1e9), "10 to 400"), (lambda: tempo.set_meter(desk, session, 1, 0, 4), "no such meter: 0/4"),
        (lambda: tempo.set_meter(desk, session, 1, 7, 0), "no such meter: 7/0"), (lambda: tempo.remove(desk, session, 1), "where all begins"),
        (lambda: tempo.set_tempo(desk, session, 0, 100.0), "Bars count from 1"), (lambda: tempo.set_bar_one(desk, session, -1), "first hour"),
        (lambda: tempo.tap([float("nan")]), "cannot be read"),
    ):
        with pytest.raises(Refusal, match=words):
            call()
    assert the_map(desk, session) == before

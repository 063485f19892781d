"""The range, and going to bars."""


import pytest

from cattailer.core.errors import NotNow, Refusal
from cattailer.services.desk import standin
from cattailer.services.desk.desk import Desk
from cattailer.services.running import arming, click, frame, ranges, transport
from cattailer.services.session import demo, history, opening
from cattailer.services.stages.capture import lanes
from cattailer.services.stages.timing import buffers, tempo
from tests.helpers.sessions import plan_of, stop, the_map
from tests.helpers.waiting import pass_time, wait_for


def test_a_range_is_looped_unless_it_is_shorter_than_the_buffer(desk: Desk) -> None:
    session = demo.load(desk)
    with pytest.raises(NotNow, match="no range"):
        ranges.switch_loop(desk, session)
    ranges.set_range(desk, session, 2, 3)
    ranges.switch_loop(desk, session)
    loop = plan_of(desk, session).loop
    assert loop is not None
    assert loop[1] - loop[0] == round(3 * 60 * 48000 / 92)
    opening.open_session(desk, session)
    transport.locate(desk, session, loop[0])
    transport.roll(desk, session)
    pass_time(desk.engine, 2.6)
    assert loop[0] <= desk.engine_state().position < loop[1]
    stop(desk, session)
    for wrong in ((3, 3), (0, 2), (5, 2)):
        with pytest.raises(Refusal, match=r"stayed|stays"):
            ranges.set_range(desk, session, *wrong)
    tempo.set_meter(desk, session, 1, 1, 32)
    tempo.set_tempo(desk, session, 1, 400.0)
    buffers.use_for(desk, session, "mixing")
    with pytest.raises(Refusal, match="less than the buffer of 1024"):
        ranges.set_range(desk, session, 2, 3)
    assert plan_of(desk, session).loop is None, "it stayed on its bar, which is shorter than a block by now"
    for _ in range(3):
        history.undo(desk, session)
    assert plan_of(desk, session).loop == loop
    ranges.switch_loop(desk, session)
    assert plan_of(desk, session).loop is None


def test_a_range_stays_on_its_bars(desk: Desk) -> None:
    session = demo.load(desk)
    ranges.set_range(desk, session, 3, 5)
    ranges.switch_loop(desk, session)
    tempo.set_tempo(desk, session, 1, 120.0)
    tempo.set_meter(desk, session, 2, 5, 4)
    tempo.set_bar_one(desk, session, 48_000)
    now = the_map(desk, session)
    assert plan_of(desk, session).loop == (now.sample_of(3), now.sample_of(5))


def test_a_refused_capture_leaves_the_loop_on_and_opens_nothing(desk: Desk) -> None:
    session = demo.load(desk)
    ranges.set_range(desk, session, 1, 2)
    ranges.switch_loop(desk, session)
    with pytest.raises(NotNow, match="No track is armed"):
        transport.capture(desk, session)
    assert desk.engine_state().session is None, "a refused command opens nothing"
    arming.arm_all(desk, session, True)
    opening.open_session(desk, session)
    transport.roll(desk, session)
    folder = desk.media / demo.FOLDER
    folder.mkdir()
    desk.media.rename(desk.media.with_name("away"))
    with pytest.raises(Refusal, match="not where it was"):
        transport.capture(desk, session)
    assert not desk.media.exists(), "nothing is made anew"
    bar = demo.tempo().sample_of(2)
    pass_time(desk.engine, 2.5)
    assert desk.engine_state().state == "rolling"
    assert desk.engine_state().position < bar


def test_bar_1_is_gone_to_wherever_it_stands(desk: Desk) -> None:
    session = demo.load(desk)
    opening.open_session(desk, session)
    tempo.set_bar_one(desk, session, 96_000)
    assert transport.go_to_bar(desk, session, 1).position == 96_000
    assert transport.move_bars(desk, session, -1).position == 96_000 - round(3 * 48_000 * 60 / 92)


def test_bars_are_steps_and_the_players_obey(desk: Desk) -> None:
    session = demo.load(desk)
    opening.open_session(desk, session)
    bar = demo.tempo().sample_of
    positions = [transport.move_bars(desk, session, by).position for by in (1, 1, -1, -1, -1)]
    assert positions == [bar(2), bar(3), bar(2), 0, 0]
    standin.ask_players(desk, "rest")
    wait_for(lambda: list(standin.room_of(desk).players.values()) == ["rest"] * 7)
    standin.ask_players(desk, "perform", "cello")
    wait_for(lambda: standin.room_of(desk).players["cello"] == "perform")
    with pytest.raises(Refusal, match="Players can"):
        standin.ask_players(desk, "dance")
    click.set_click(desk, session, True)
    assert frame.show(desk, session).deck.click
    assert lanes.window(desk, session, bar(17)).bars[0] == (17, bar(17))

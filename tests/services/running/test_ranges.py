"""The range, and going to bars."""

import pytest
from sqlalchemy import select

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.gear.rates import rescaled
from cattailer.services.desk import standin
from cattailer.services.desk.desk import Desk
from cattailer.services.running import arming, click, frame, marking, ranges, runs, transport
from cattailer.services.session import demo, hardware, history, opening
from cattailer.services.session.rate import choose_rate
from cattailer.services.stages.capture import lanes
from cattailer.services.stages.timing import buffers, tempo
from cattailer.store.comps import Phrase
from cattailer.store.kept import Mark
from cattailer.store.models import Run, Session
from tests.helpers.sessions import plan_of, stop, the_map
from tests.helpers.waiting import pass_time, wait_for


def test_a_range_is_looped_unless_it_is_shorter_than_the_buffer(desk: Desk) -> None:
    session = demo.load(desk)
    with pytest.raises(NotNow, match="no range"):
        ranges.switch_loop(desk, session)
    ranges.set_range(desk, session, "2", "2")
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
    for wrong in (("3", "2"), ("0", "1"), ("5", "1"), ("1:05", "1:04"), ("2.9", "3"), ("x", "2"), ("", "2")):
        with pytest.raises(Refusal, match=r"stayed|stays"):
            ranges.set_range(desk, session, *wrong)
    tempo.set_meter(desk, session, 1, 1, 32)
    tempo.set_tempo(desk, session, 1, 400.0)
    buffers.use_for(desk, session, "mixing")
    with pytest.raises(Refusal, match="less than the buffer of 1024"):
        ranges.set_range(desk, session, "2", "2")
    assert plan_of(desk, session).loop is None, "it stayed on its bar, which is shorter than a block by now"
    for _ in range(3):
        history.undo(desk, session)
    assert plan_of(desk, session).loop == loop
    ranges.switch_loop(desk, session)
    assert plan_of(desk, session).loop is None


@pytest.mark.without_engine
def test_a_range_stays_on_its_bars(desk: Desk) -> None:
    session = demo.load(desk)
    ranges.set_range(desk, session, "3", "4")
    ranges.switch_loop(desk, session)
    tempo.set_tempo(desk, session, 1, 120.0)
    tempo.set_meter(desk, session, 2, 5, 4)
    tempo.set_bar_one(desk, session, 48_000)
    now = the_map(desk, session)
    assert plan_of(desk, session).loop == (now.sample_of(3), now.sample_of(5))


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
    assert lanes.window(desk, session, bar(17)).ticks[0].sample == bar(17)


@pytest.mark.without_engine
def test_the_ruler_counts_bars_or_seconds_and_places_are_typed_either_way(desk: Desk) -> None:
    session = demo.load(desk)
    ranges.set_range(desk, session, "0:02", "0:04.5")
    assert plan_range(desk, session) == (96_000, 216_000)
    shown = frame.show(desk, session).deck.range
    assert (shown.first, shown.last) == ("00:02", "00:04.500"), "it lies on no bar, so it is said as it is"
    bar = demo.tempo().sample_of
    ranges.set_range(desk, session, "2.2", "3.1")
    assert plan_range(desk, session) == (bar(2, 2), bar(3, 2))
    ranges.choose_ruler(desk, session, "time")
    window = lanes.window(desk, session, 33 * 48_000)
    assert [t.sample for t in window.ticks[:2]] == [32 * 48_000, 33 * 48_000]
    assert window.ticks[0].label == "00:32"
    assert window.stop == 64 * 48_000
    with pytest.raises(Refusal, match="bars or minutes"):
        ranges.choose_ruler(desk, session, "feet")


def test_a_range_is_made_of_a_take_and_of_marks(desk: Desk) -> None:
    session = demo.load(desk)
    opening.open_session(desk, session)
    with pytest.raises(Refusal, match="no such take"):
        ranges.from_run(desk, session)
    arming.arm_all(desk, session, True)
    transport.locate(desk, session, 48_000)
    transport.capture(desk, session, samples=24_000)
    pass_time(desk.engine, 1.0)
    wait_for(lambda: runs.enter_finished(desk) or newest_run_of(desk, session))
    ranges.from_run(desk, session, 1)
    assert plan_range(desk, session) == (48_000, 72_000)
    for at in (10_000, 200_000):
        stop(desk, session)
        transport.locate(desk, session, at)
        marking.mark(desk, session)
    with desk.database.transaction() as db:
        first, last = db.scalars(select(Mark.id).order_by(Mark.at))
    ranges.from_mark(desk, session, first)
    assert plan_range(desk, session) == (10_000, 200_000)
    with pytest.raises(NotNow, match="No mark follows"):
        ranges.from_mark(desk, session, last)
    ranges.set_samples(desk, session, 0, 4800)
    assert plan_range(desk, session) == (0, 4800)


def test_keys_make_a_range_of_where_the_timeline_is(desk: Desk) -> None:
    session = demo.load(desk)
    with pytest.raises(NotNow, match="not open"):
        ranges.from_here(desk, session, "first")
    opening.open_session(desk, session)
    bar = demo.tempo().sample_of
    transport.locate(desk, session, bar(5) + 100)
    ranges.from_here(desk, session, "first")
    assert plan_range(desk, session) == (bar(5), bar(6))
    transport.locate(desk, session, bar(8))
    ranges.from_here(desk, session, "last")
    assert plan_range(desk, session) == (bar(5), bar(9))
    transport.locate(desk, session, bar(3))
    ranges.from_here(desk, session, "last")
    assert plan_range(desk, session) == (bar(3), bar(4)), "an end before the beginning takes it along"
    ranges.choose_ruler(desk, session, "time")
    transport.locate(desk, session, 90_000)
    ranges.from_here(desk, session, "first")
    assert plan_range(desk, session) == (48_000, bar(4))
    with pytest.raises(Refusal, match="first and a last"):
        ranges.from_here(desk, session, "middle")


def plan_range(desk: Desk, session: int) -> tuple[int, int]:
    with desk.database.transaction() as db:
        found = db.get_one(Session, session)
        return found.range_start, found.range_stop


def newest_run_of(desk: Desk, session: int) -> bool:
    with desk.database.transaction() as db:
        return db.scalar(select(Run.id).where(Run.session_id == session)) is not None


@pytest.mark.without_engine
def test_what_is_music_stays_on_its_beat_and_what_is_a_time_at_its_time(desk: Desk) -> None:
    """At any rate and interface, and under edits of tempo; shown as it was typed, whichever end is typed again."""
    session = demo.load(desk)
    tempo.set_tempo(desk, session, 1, 97.0)
    tempo.set_bar_one(desk, session, 12_345)

    def shown() -> tuple[str, str]:
        with desk.database.transaction() as db:
            view = ranges.view(db.get_one(Session, session))
        return view.first, view.last

    def ends() -> tuple[int, int]:
        with desk.database.transaction() as db:
            found = db.get_one(Session, session)
            return found.range_start, found.range_stop

    ranges.set_range(desk, session, "5.2", "8")
    with desk.database.transaction() as db:
        at = [the_map(desk, session).sample_of(bar) for bar in (4, 6)]
        db.add_all(Mark(session_id=session, at=n, rate_hz=48_000, kind="marker", text=str(n)) for n in (at[0], 100_001))
        db.add(Phrase(session_id=session, start=at[0], stop=at[1], rate_hz=48_000, name="verse"))
    for rate in (44_100, 96_000, 88_200, 44_100, 48_000, 96_000):
        choose_rate(desk, session, rate)
        now = the_map(desk, session)
        assert (ends(), shown()) == ((now.sample_of(5, 2), now.sample_of(9)), ("5.2", "8"))
    tempo.set_tempo(desk, session, 3, 131.5)
    hardware.choose_interface(desk, session, "marshgate-2")
    now = the_map(desk, session)
    assert (ends(), shown()) == ((now.sample_of(5, 2), now.sample_of(9)), ("5.2", "8"))
    assert now.bar_one == rescaled(12_345, 48_000, now.rate_hz)
    with desk.database.transaction() as db:
        marks = {m.text: rescaled(m.at, m.rate_hz, now.rate_hz) for m in db.scalars(select(Mark))}
        phrase = db.scalars(select(Phrase)).one()
        assert marks == {str(at[0]): now.sample_of(4), "100001": rescaled(100_001, 48_000, now.rate_hz)}
        assert (phrase.start, phrase.stop, phrase.rate_hz) == (now.sample_of(4), now.sample_of(6), now.rate_hz)
    ranges.set_range(desk, session, "0:10.0001234", "8")
    first = ends()[0]
    ranges.set_range(desk, session, shown()[0], "9")
    assert ends()[0] == first, "the end that was not typed is where it was, though it is shown to a millisecond"
    tempo.set_tempo(desk, session, 1, 60.0)
    assert (ends()[0], shown()[1]) == (first, "9")
    assert ends()[1] == the_map(desk, session).sample_of(10)
    tempo.set_bar_one(desk, session, 4 * now.rate_hz)
    before_one = the_map(desk, session).sample_of(0)
    ranges.set_samples(desk, session, before_one, ends()[1])
    ranges.set_range(desk, session, shown()[0], "7")
    assert (ends()[0], shown()) == (before_one, ("0", "7")), "nobody can type it, and it stays"
    with desk.database.transaction() as db:  # as an older step of the history puts it back
        found, now = db.get_one(Session, session), the_map(desk, session)
        found.range_start, found.range_stop = now.sample_of(2, 2), now.sample_of(4)
    assert shown() == ("2.2", "3")

"""A session at another sample rate: its takes go along, exactly where they were, and nothing is replaced."""

import numpy as np
import pytest

from cattailer.core.errors import NotNow, Refusal
from cattailer.media import convert, wavfile
from cattailer.services.desk import standin
from cattailer.services.desk.desk import Desk
from cattailer.services.running import arming, click, ranges, room, transport
from cattailer.services.session import demo, history, opening, rate, tracks
from cattailer.services.session.reading import get_session
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.services.stages.patch import routes
from cattailer.services.stages.timing import clicking, correction, rates, tempo, tripfromtakes
from tests.helpers.capturing import armed, settled
from tests.helpers.sessions import capture, counted, make_takes, plan_of, rows_of, stop, takes_of, the_map
from tests.helpers.waiting import wait_for


def converted(desk: Desk, session: int, rate_hz: int) -> rates.Conversion:
    rates.begin(desk, session, rate_hz)
    job = desk.live.find(session, rates.Conversion)
    wait_for(lambda: job.state != "running", 60.0)
    return job


def test_takes_go_along_and_come_back(desk: Desk) -> None:
    session = counted(desk)
    tempo.set_bar_one(desk, session, 48_000)
    transport_at = 96_000
    capture_at(desk, session, transport_at)
    arming.arm_all(desk, session, True)
    before = plan_of(desk, session).pieces
    with pytest.raises(NotNow, match="converts them"):
        rate.choose_rate(desk, session, 96_000)
    view = {r.rate_hz: r for r in rates.show(desk, session).rates}
    assert (view[48_000].to_convert, view[96_000].to_convert, view[96_000].of) == (0, 2, 2)
    assert view[192_000].why_not
    assert view[48_000].mb_per_minute == pytest.approx(10 * 48_000 * 3 * 60 / 1e6)
    job = converted(desk, session, 96_000)
    assert (job.state, job.files, job.percent) == ("done", 4, 100.0), job.message
    plan = plan_of(desk, session)
    assert plan.rate_hz == 96_000
    assert [(p.start, p.samples) for p in plan.pieces] == [(2 * p.start, 2 * p.samples) for p in before]
    assert all("at-96000" in p.path for p in plan.pieces)
    assert all(wavfile.inspect(p.path).start == p.start for p in plan.pieces)  # type: ignore[arg-type]
    assert the_map(desk, session).bar_one == 96_000
    transport.roll(desk, session)
    assert desk.engine_state().rate_hz == 96_000
    with pytest.raises(NotNow, match="timeline rolls"):
        rates.begin(desk, session, 48_000)
    stop(desk, session)
    clicking.change(desk, session, {"count_bars": 0})
    transport.capture(desk, session)
    wait_for(lambda: desk.engine_state().position > 20_000)
    stop(desk, session)
    assert converted(desk, session, 48_000).files == 10, "only what was captured at 96 kHz"
    assert plan_of(desk, session).pieces[-1].samples > 0
    history.undo(desk, session)
    assert plan_of(desk, session).rate_hz == 96_000
    with pytest.raises(Refusal, match="does not run at"):
        rates.begin(desk, session, 22_050)


def test_what_lies_either_side_of_a_punch_goes_along(desk: Desk) -> None:
    session = armed(desk, start="range", pre_bars=1, post_bars=1)
    ranges.set_range(desk, session, "2", "2")
    transport.capture(desk, session)
    settled(desk)
    job = converted(desk, session, 96_000)
    assert (job.state, job.files) == ("done", 6), job.message
    with desk.database.transaction() as db:
        found = take_sounds(desk, get_session(db, session), [1])[1]
    bar = the_map(desk, session).sample_of(3) - the_map(desk, session).sample_of(2)
    assert found.reach == (-96_000, bar + 96_000)
    assert all("at-96000" in stretch.path for stretch in found.stretches)


def capture_at(desk: Desk, session: int, position: int) -> None:
    transport.roll(desk, session)
    stop(desk, session)
    transport.locate(desk, session, position)
    capture(desk, session)


@pytest.mark.without_engine
def test_a_conversion_is_stopped_or_fails_and_says_so(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    session = make_takes(desk, 1.0)
    pieces = plan_of(desk, session).pieces

    def stopped(*_: object) -> tuple[int, str]:
        raise convert.Stopped

    def full(*_: object) -> tuple[int, str]:
        raise OSError(28, "No space left on device")

    for stumble, state, words in ((stopped, "stopped", "keeps its rate"), (full, "failed", "The disk is full")):
        with monkeypatch.context() as patch:
            patch.setattr(convert, "convert", stumble)
            job = converted(desk, session, 44_100)
        assert job.state == state
        assert words in job.message
        assert plan_of(desk, session).pieces == pieces
    assert converted(desk, session, 44_100).state == "done"
    assert plan_of(desk, session).rate_hz == 44_100
    assert takes_of(desk, session, 0)[0].start == "00:00.000"


def test_the_round_trip_from_two_takes(desk: Desk) -> None:
    """The click, printed, and what came back of it by cable: what the driver hides is found."""
    session = demo.load(desk)
    clicking.change(desk, session, {"accent_db": 9.0})
    opening.open_session(desk, session)
    room.claim(desk, session, 41)
    room.loop_back(desk, session, 1, 12, "cable")
    clicking.print_click(desk, session, 1, 9)
    (loop,) = tracks.add_tracks(desk, session, tracks.Wanted(feed="in:12", name="Loop"))
    tracks.add_tracks(desk, session, tracks.Wanted(feed="in:3", name="Other"))
    for row in rows_of(desk, session):
        arming.arm_track(desk, session, row.id, row.name in ("Loop", "Other"))
    main = plan_of(desk, session).mixes[0].id
    routes.set_route(desk, session, f"track:{loop}", f"mix:{main}", False)
    standin.ask_players(desk, "rest")
    click.set_click(desk, session, True)
    transport.capture(desk, session)
    wait_for(lambda: desk.engine_state().position > 6 * 48_000, 30.0)
    stop(desk, session)
    ids = {t.words.split(",")[0]: t.id for t in tripfromtakes.choices(desk, session)}
    found = tripfromtakes.measure(desk, session, ids["Click"], ids["Loop"])
    assert found.measured.failure == ""
    assert found.measured.samples == pytest.approx(332 + 41, abs=0.1)
    assert (found.correction, found.measured.inverted) == (41, False)
    assert np.argmax(found.curve) + found.curve_from == 373
    correction.use(desk, session, found.id)
    assert plan_of(desk, session).correction_samples == 41
    assert "do not fit" in tripfromtakes.measure(desk, session, ids["Click"], ids["Other"]).measured.failure
    for pair, words in (((ids["Click"], ids["Click"]), "Choose two takes"), ((ids["Loop"], ids["Click"]), "not known with which buffer"),
                        ((ids["Loop"], 999), "no take")):
        with pytest.raises(Refusal, match=words):
            tripfromtakes.measure(desk, session, *pair)

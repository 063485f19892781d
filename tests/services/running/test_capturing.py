"""Ways to capture, what becomes of what lay there, the bin, and what people say of a run."""

from pathlib import Path

import numpy as np
import pytest

from cattailer.core.errors import NotNow, Refusal, Sure
from cattailer.core.takes.settings import CaptureSettings
from cattailer.media.piecesound import heard_between
from cattailer.services.desk import places
from cattailer.services.desk.desk import Desk
from cattailer.services.keeping import verifying
from cattailer.services.running import arming, binning, capturing, marking, ranges, runs, transport
from cattailer.services.session import demo, history, tracks
from cattailer.services.stages.capture import show
from cattailer.services.stages.takes import choosing, cutting, cutview, files, sheet
from cattailer.store.models import Media, Run, Session, Take
from tests.helpers.capturing import all_runs, armed, settled
from tests.helpers.sessions import capture_for, make_takes, plan_of, rows_of, stop, takes_of, the_patch, words
from tests.helpers.waiting import pass_time, wait_for


def in_bin(desk: Desk, session: int) -> list[binning.Binned]:
    with desk.database.transaction() as db:
        return binning.in_bin(db, session)


def once_more(desk: Desk, session: int, seconds: float = 0.5) -> None:
    capture_for(desk, session, seconds)
    settled(desk)


def test_a_punch_at_the_range_keeps_what_lies_either_side(desk: Desk) -> None:
    session = armed(desk, start="range", pre_bars=1, post_bars=1)
    ranges.set_range(desk, session, "2", "2")
    transport.capture(desk, session)
    wait_for(lambda: desk.engine_state().state == "pre-roll")
    with pytest.raises(NotNow, match="must wait"):
        history.undo(desk, session)
    settled(desk)
    with desk.database.transaction() as db:
        tempo = plan_of(desk, session).tempo
        (run,) = db.query(Run).all()
        assert (run.start, run.start + run.samples) == (tempo.sample_of(2), tempo.sample_of(3))
        for take in run.takes:
            assert take.lead_in is not None
            lead_out = db.get(Media, take.lead_out_id)
            assert lead_out is not None
            assert (take.lead_in.samples, lead_out.samples) == (48_000, 48_000)


def test_where_it_can_start(desk: Desk) -> None:
    session = armed(desk, start="range")
    with pytest.raises(NotNow, match="no range"):
        transport.capture(desk, session)
    assert not list(desk.media.rglob("*.wav"))
    capturing.change(desk, session, "start", "playhead")
    transport.locate(desk, session, 96_000)
    once_more(desk, session)
    transport.locate(desk, session, 0)
    capturing.change(desk, session, "start", "last")
    once_more(desk, session)
    assert [r.start for r in all_runs(desk, session)] == [96_000, 96_000]


def test_a_second_press_begins_and_so_does_roll(desk: Desk) -> None:
    session = armed(desk, begin="rolls", limit_s=0.5)
    for go in (transport.capture, transport.roll):
        transport.capture(desk, session)
        wait_for(lambda: desk.engine_state().state == "waiting")
        go(desk, session)
        wait_for(lambda: desk.engine_state().state != "waiting")
        settled(desk)
    assert [r.samples for r in all_runs(desk, session)] == [24_000, 24_000]


@pytest.mark.parametrize(("name", "value"), [
    ("begin", "later"), ("start", "bar one"), ("over", "burn"), ("passes", "-1"), ("passes", "many"), ("gap_s", "nan"),
    ("limit_s", "inf"), ("tail_s", "9"), ("colour", "red"), ("__class__", "x"), ("pre_bars", "1e99"),
])
@pytest.mark.without_engine
def test_what_cannot_be_is_refused_and_changes_nothing(desk: Desk, name: str, value: str) -> None:
    session = demo.load(desk)
    with pytest.raises(Refusal, match="stays as it was"):
        capturing.change(desk, session, name, value)
    assert show.show(desk, session).how == CaptureSettings()


def test_keep_this_run_only_puts_older_takes_into_the_bin_once_it_is_checked(desk: Desk) -> None:
    session = armed(desk)
    once_more(desk, session, 1.0)
    transport.locate(desk, session, 480_000)
    once_more(desk, session)
    transport.locate(desk, session, 0)
    capturing.change(desk, session, "over", "only")
    capture_for(desk, session, 0.5)
    assert in_bin(desk, session) == [], "not before its files were read again"
    settled(desk)
    (binned,) = in_bin(desk, session)
    assert (binned.number, binned.tracks, binned.by) == (1, 2, 3)
    assert [t.number for t in takes_of(desk, session, 0)] == [3, 2]
    assert words(desk, session)[0] == "Take 3 captured; what it replaced went to the bin"
    history.undo(desk, session)
    settled(desk)
    assert [b.number for b in in_bin(desk, session)] == [3], "what it replaced is back, and not replaced again"
    history.redo(desk, session)
    binning.discard(desk, session, 3)
    assert [t.number for t in takes_of(desk, session, 0)] == [2, 1], "a run that is discarded gives back what it replaced"


def test_a_run_whose_files_are_not_what_was_written_replaces_nothing(desk: Desk) -> None:
    session = armed(desk, over="only")
    once_more(desk, session)
    capture_for(desk, session, 0.5)
    path = next(desk.media.rglob("run-002/*.wav"))
    data = bytearray(path.read_bytes())
    data[-600] ^= 1
    path.write_bytes(data)
    settled(desk)
    assert in_bin(desk, session) == []
    newest = show.show(desk, session).newest
    assert newest is not None
    assert newest.wrong == f"{path.name} is not as it was written"
    path.unlink()
    assert verifying.what_is_wrong(path, 1, "") == f"{path.name} is not there"


def test_a_run_that_is_discarded_before_it_was_checked_replaces_nothing(desk: Desk) -> None:
    session = armed(desk, over="only")
    once_more(desk, session)
    capture_for(desk, session, 0.5)
    binning.discard(desk, session)
    settled(desk)
    assert [(b.number, b.by) for b in in_bin(desk, session)] == [(2, 0)]


def test_replace_takes_out_only_the_stretch_that_was_captured(desk: Desk) -> None:
    session = armed(desk)
    once_more(desk, session, 2.0)
    capturing.change(desk, session, "over", "replace")
    capturing.change(desk, session, "limit_s", "0.5")
    transport.locate(desk, session, 24_000)
    transport.capture(desk, session)
    settled(desk)
    track = rows_of(desk, session)[0].id
    pieces = [(p.take, p.start, p.samples) for p in plan_of(desk, session).pieces if p.track == track]
    takes = {t.number: t.id for t in takes_of(desk, session, 0)}
    assert [p[:2] for p in pieces] == [(takes[1], 0), (takes[2], 24_000), (takes[1], 47_520)], "with a crossfade"
    binning.discard(desk, session)
    assert [p[0] for p in [(p.take,) for p in plan_of(desk, session).pieces if p.track == track]] == [takes[1]]
    history.undo(desk, session)
    with desk.database.transaction() as db:
        first = db.get_one(Take, takes[1])
        assert [c[:2] for c in first.cuts] == [[24_000, 48_000]]
    binning.fetch_back(desk, session, 1)
    assert in_bin(desk, session) == []


def test_layers_sound_together(desk: Desk) -> None:
    session = armed(desk, over="layer", limit_s=0.5)
    for _ in range(3):
        transport.capture(desk, session)
        settled(desk)
    track = rows_of(desk, session)[0].id
    assert [(p.start, p.samples) for p in plan_of(desk, session).pieces if p.track == track] == [(0, 24_000)] * 3
    before = heard_of(desk, session, track)
    cutting.split(desk, session, track, 12_000)
    assert np.array_equal(heard_of(desk, session, track), before), "all three survive an edit, and nothing is heard of it"
    first = cutview.show(desk, session, track).pieces[0]
    cutting.set_gain(desk, session, track, 0, -60.0, first.key)
    transport.capture(desk, session)
    settled(desk)
    takes = {p.take for p in plan_of(desk, session).pieces if p.track == track}
    assert len(takes) == 4, "over a comp too"
    history.undo(desk, session)
    history.undo(desk, session)
    assert np.array_equal(heard_of(desk, session, track), before)


def heard_of(desk: Desk, session: int, track: int) -> np.ndarray:
    return heard_between([p for p in plan_of(desk, session).pieces if p.track == track], 0, 24_000)[0]


def test_a_punch_joins_by_what_was_kept_either_side(desk: Desk) -> None:
    """Without a comp too: no fade to nothing, but the second that was kept before it, and what lay there."""
    session = armed(desk, limit_s=6.0)
    transport.capture(desk, session)
    settled(desk)
    capturing.change(desk, session, "limit_s", "0")
    for name, value in (("start", "range"), ("pre_bars", "1"), ("post_bars", "1")):
        capturing.change(desk, session, name, value)
    ranges.set_range(desk, session, "2", "2")
    transport.capture(desk, session)
    settled(desk)
    track, bar = rows_of(desk, session)[0].id, demo.tempo().sample_of
    pieces = [p for p in plan_of(desk, session).pieces if p.track == track]
    punched = [p for p in pieces if p.take != pieces[0].take]
    assert {Path(p.path).parent.name for p in punched} >= {"head", "tail"}
    first, last = min(p.start for p in punched), max(p.start + p.samples for p in punched)
    assert first < bar(2) < bar(3) < last
    assert all(p.rise is not None and p.rise.alike is not None for p in punched)


def test_the_bin_is_emptied_by_hand_and_said_twice(desk: Desk) -> None:
    session = make_takes(desk)
    settled(desk)
    kept = sorted(desk.media.rglob("*.wav"))
    binning.discard(desk, session)
    assert takes_of(desk, session, 0) == []
    with pytest.raises(NotNow, match="no take"):
        binning.discard(desk, session)
    with pytest.raises(Refusal, match="Tick"):
        binning.delete(desk, session, [1], False, True)
    with pytest.raises(Refusal, match="Tick what"):
        binning.delete(desk, session, [], True, True)
    with pytest.raises(Sure, match="2 files"):
        binning.delete(desk, session, [1], True, False)
    assert sorted(desk.media.rglob("*.wav")) == kept
    binning.fetch_back(desk, session, 1)
    with pytest.raises(NotNow, match="Nothing of that"):
        binning.delete(desk, session, [1], True, True)
    binning.discard(desk, session, 1)
    assert "2 files deleted" in binning.delete(desk, session, [1], True, True)
    assert not list(desk.media.rglob("*.wav"))
    assert words(desk, session)[0] == "Deleted for good: 2 files"
    runs.journals_of(desk).settled.clear()
    assert runs.enter_finished(desk) == []
    assert runs.recover(desk, desk.media).troubles == []
    assert show.show(desk, session).newest is not None, "the run log remembers it"
    with pytest.raises(NotNow, match="no take"):
        binning.discard(desk, session)
    for do in (binning.discard, binning.fetch_back):
        with pytest.raises(NotNow, match="deleted for good"):
            do(desk, session, 1)


def test_a_pass_is_rated_while_it_is_captured_and_after(desk: Desk) -> None:
    session = armed(desk)
    transport.capture(desk, session)
    pass_time(desk.engine, 0.3)
    marking.rate(desk, session, "maybe")
    marking.rate(desk, session, "good")
    marking.mark(desk, session, "mishap", "a chair", "Wren")
    stop(desk, session)
    settled(desk)
    page = show.show(desk, session)
    assert page.newest is not None
    assert page.newest.rating == "good"
    assert [(m.kind, m.text, m.author) for m in page.marks] == [("mishap", "a chair", "Wren")]
    marking.rate(desk, session, "good", 1)
    assert all_runs(desk, session)[0].rating == "", "the same once more takes it away"
    marking.unmark(desk, session, page.marks[0].id)
    assert show.show(desk, session).marks == []
    for wrong in (lambda: marking.rate(desk, session, "fine"), lambda: marking.mark(desk, session, "stone")):
        with pytest.raises(Refusal):
            wrong()


def test_the_newest_is_played_from_its_start(desk: Desk) -> None:
    session = demo.load(desk)
    with pytest.raises(NotNow, match="Nothing has been captured"):
        transport.play_last(desk, session)
    session = armed(desk)
    transport.locate(desk, session, 480_000)
    once_more(desk, session)
    transport.locate(desk, session, 0)
    transport.play_last(desk, session)
    assert desk.engine_state().position >= 480_000
    stop(desk, session)


def test_punched_out_it_rolls_on(desk: Desk) -> None:
    session = armed(desk)
    transport.roll(desk, session)
    pass_time(desk.engine, 0.3)
    for _ in range(2):
        transport.capture(desk, session)
        pass_time(desk.engine, 0.3)
        transport.punch_out(desk, session)
        assert desk.engine_state().state == "rolling"
    with pytest.raises(Refusal, match="Nothing is captured"):
        transport.punch_out(desk, session)
    stop(desk, session)
    settled(desk)
    assert len(all_runs(desk, session)) == 2
    assert files.take_file(desk, session, 1).path.is_file()


def test_disarmed_in_mid_run_a_track_ends_and_the_others_go_on(desk: Desk) -> None:
    session = armed(desk)
    ids = [row.id for row in rows_of(desk, session)]
    arming.arm_track(desk, session, ids[2], True)
    first, others = next(row.id for row in rows_of(desk, session) if row.armed), 2
    transport.capture(desk, session)
    pass_time(desk.engine, 0.5)
    arming.arm_track(desk, session, first, False)
    pass_time(desk.engine, 0.5)
    with pytest.raises(Refusal, match="armed for the next one"):
        arming.arm_track(desk, session, first, True)
    arming.arm_track(desk, session, first, False)
    with pytest.raises(Refusal, match="press Stop capturing"):
        arming.arm_all(desk, session, False)
    assert sum(row.armed for row in rows_of(desk, session)) == others
    stop(desk, session)
    settled(desk)
    (run,) = all_runs(desk, session)
    took = {t.track_id: t for t in run.takes}
    short, long = took.pop(first), list(took.values())
    assert len(long) == others
    assert {(t.start, t.samples) for t in long} == {(run.start, run.samples)}
    assert short.start == run.start
    assert 0.3 * 48000 < short.samples < run.samples - 0.3 * 48000
    assert run.verified == "yes"


def test_files_of_a_track_that_joined_are_read_again_too(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    session = armed(desk)
    transport.capture(desk, session)
    pass_time(desk.engine, 0.5)
    arming.arm_track(desk, session, rows_of(desk, session)[2].id, True)
    pass_time(desk.engine, 0.3)
    with monkeypatch.context() as later:
        later.setattr(runs, "enter_late", lambda desk, story: False)
        stop(desk, session)
        wait_for(lambda: bool(runs.enter_finished(desk) or all_runs(desk, session)))
        assert verifying.verify_one(desk)
        assert all_runs(desk, session)[0].verified == "yes"
    wait_for(lambda: bool(runs.enter_finished(desk) or len(all_runs(desk, session)[0].takes) == 3))
    with desk.database.transaction() as db:
        late = db.query(Take).order_by(Take.id.desc()).first()
        assert late is not None
        path = places.folder_of(desk, db.get_one(Session, session)) / late.media.path
    with path.open("r+b") as file:
        file.seek(-9, 2)
        file.write(b"spoilt")
    assert verifying.verify_one(desk)
    assert "not as it was written" in all_runs(desk, session)[0].verified


def test_what_joins_late_goes_over_the_comp_of_its_track_too(desk: Desk) -> None:
    session = armed(desk)
    third = rows_of(desk, session)[2].id
    choosing.make(desk, session, third, "evening")
    transport.capture(desk, session)
    pass_time(desk.engine, 0.5)
    arming.arm_track(desk, session, third, True)
    pass_time(desk.engine, 0.3)
    stop(desk, session)
    settled(desk)
    page = sheet.show(desk, session, third)
    assert [name for _, name in page.comps] == ["evening + take 1", "evening"]
    assert page.used == page.comps[0][0]


def test_locked_tracks_stay_as_they_are(desk: Desk) -> None:
    session = armed(desk)
    rows = rows_of(desk, session)
    arming.lock_track(desk, session, rows[0].id, True)
    arming.lock_track(desk, session, rows[1].id, True)
    with pytest.raises(NotNow, match="is locked"):
        arming.arm_track(desk, session, rows[0].id, False)
    with pytest.raises(NotNow, match="is locked"):
        arming.arm_some(desk, session, [rows[2].id, rows[1].id], True)
    assert not rows_of(desk, session)[2].armed
    arming.arm_all(desk, session, True)
    assert [r.armed for r in rows_of(desk, session)][:3] == [True, False, True]
    arming.arm_all(desk, session, False)
    assert [r.armed for r in rows_of(desk, session)] == [True] + [False] * 9
    for row in rows[:2]:
        arming.lock_track(desk, session, row.id, False)
    arming.arm_some(desk, session, [r.id for r in rows], False)
    arming.arm_some(desk, session, [rows[2].id, rows[4].id], True)
    assert [n for n, r in enumerate(rows_of(desk, session)) if r.armed] == [2, 4]
    group = the_patch(desk, session).groups[0]
    arming.arm_group(desk, session, group.id, True)
    assert sum(r.armed for r in rows_of(desk, session)) > 2


def test_tracks_are_disarmed_after_a_run_where_that_is_wanted(desk: Desk) -> None:
    session = armed(desk, disarms="on")
    once_more(desk, session)
    assert not any(r.armed for r in rows_of(desk, session))


def test_an_armed_track_that_nothing_feeds_is_left_out_and_said(desk: Desk) -> None:
    session = armed(desk, limit_s=0.5)
    rows = rows_of(desk, session)
    tracks.feed_track(desk, session, rows[0].id, 0, "")
    assert "Dulcimer left has no input, so it is left out" in [f.text for f in show.show(desk, session).frame.deck.findings]
    transport.capture(desk, session)
    settled(desk)
    (run,) = all_runs(desk, session)
    assert [t.track_id for t in run.takes] == [rows[5].id]
    assert any("left out" in text for text in run.waved)
    arming.arm_track(desk, session, rows[5].id, False)
    with pytest.raises(NotNow, match="Nothing feeds the armed tracks"):
        transport.capture(desk, session)

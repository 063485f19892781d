"""Count-in from the services: what was counted in is entered with the take, let in, and taken back."""

from pathlib import Path

import numpy as np
import pytest

from cattailer.core.errors import NotFound, NotNow, Refusal
from cattailer.media import journal, wavfile
from cattailer.services import (
    clicking,
    demo,
    heads,
    history,
    ranges,
    runs,
    sessions,
    sheet,
    takes,
    tempo,
    timing,
    tracks,
    transport,
)
from cattailer.services.desk import Desk
from cattailer.services.editing import get_session
from cattailer.services.planning import compile_plan, tempo_of
from cattailer.store.models import Take
from tests.conftest import pass_time, wait_for
from tests.services.test_timing import plan_of


def counted(desk: Desk, bars: int = 1, bpm: float = 300.0) -> int:
    """The demo, with a short count-in; the first and sixth track armed."""
    session = demo.load(desk)
    tempo.set_tempo(desk, session, 1, bpm)
    clicking.change(desk, session, {"count_bars": bars})
    for number, row in enumerate(sheet.show(desk, session).rows, 1):
        tracks.arm_track(desk, session, row.id, number in (1, 6))
    return session


def capture(desk: Desk, session: int, seconds: float = 0.5) -> None:
    transport.capture(desk, session)
    assert desk.engine_state()["state"] == "counting"
    wait_for(lambda: desk.engine_state()["state"] == "capturing")
    pass_time(desk.engine, seconds)
    transport.stop(desk, session)


def test_what_was_counted_in_is_kept_and_can_be_let_in(desk: Desk) -> None:
    session = counted(desk, 2)
    bar3 = 6 * 48000 * 60 // 300
    sessions.open_session(desk, session)
    transport.locate(desk, session, bar3)
    capture(desk, session)
    rows = sheet.show(desk, session).rows
    lines = [row.takes[0] for row in (rows[0], rows[5])]
    assert [line.head for line in lines] == ["hidden", "hidden"]
    assert lines[0].head_s == pytest.approx(1.2, abs=0.003)
    line = plan_of(desk, session).line
    assert [(p.start, p.offset) for p in line] == [(bar3, 0)] * 2
    file = takes.take_file(desk, session, lines[0].id).path
    assert wavfile.inspect(file).start == bar3
    before = wavfile.inspect(file.parent / "head" / file.name)
    assert before.start + before.frames == bar3

    heads.open_head(desk, session, lines[0].id, "beat")
    line = plan_of(desk, session).line
    assert [p.start for p in line] == [bar3 - 9600, bar3] * 2
    assert [p.samples for p in line][0::2] == [9600] * 2
    assert line[0].offset == before.frames - 9600
    assert "head" in line[0].path
    heads.open_head(desk, session, lines[0].id, "all")
    assert plan_of(desk, session).line[0].samples == before.frames
    assert sheet.show(desk, session).rows[5].takes[0].head == "all", "rows stay together"
    history.undo(desk, session)
    history.undo(desk, session)
    assert len(plan_of(desk, session).line) == 2
    with pytest.raises(NotFound):
        heads.open_head(desk, session, 999, "all")
    with pytest.raises(NotFound):
        heads.open_head(desk, session, lines[0].id, "twice")


def test_a_head_before_zero_can_be_heard(desk: Desk) -> None:
    """What was counted in before bar 1 at 0 lies before 0; the timeline reaches there."""
    session = counted(desk)
    capture(desk, session)
    take = sheet.show(desk, session).rows[0].takes[0].id
    heads.open_head(desk, session, take, "all")
    assert plan_of(desk, session).line[0].start < 0
    transport.move_bars(desk, session, -1)
    assert desk.engine_state()["position"] == -3 * 9600
    transport.move_bars(desk, session, -1)
    assert desk.engine_state()["position"] == plan_of(desk, session).line[0].start, "no further than there is sound"
    clicking.change(desk, session, {"count_bars": 0})
    with pytest.raises(Refusal, match="begins at 0"):
        transport.capture(desk, session)
    transport.roll(desk, session)
    wait_for(lambda: desk.engine_state()["position"] > 0)
    transport.stop(desk, session)
    with pytest.raises(Refusal, match="outside the timeline"):
        transport.locate(desk, session, -61 * 48000)


def test_a_count_in_that_is_stopped_leaves_no_run(desk: Desk) -> None:
    session = counted(desk, 4, 60.0)
    transport.capture(desk, session)
    with pytest.raises(Refusal, match="already running"):
        transport.capture(desk, session)
    with pytest.raises(NotNow, match="must wait"):
        tempo.set_tempo(desk, session, 1, 100.0)
    transport.stop(desk, session)
    assert sheet.show(desk, session).runs == []
    assert list(desk.media.rglob("*.wav")) == []
    assert list(desk.media.rglob("run-*")) == []
    clicking.change(desk, session, {"count_bars": 0})
    transport.capture(desk, session)
    pass_time(desk.engine, 0.3)
    transport.stop(desk, session)
    assert [run.number for run in sheet.show(desk, session).runs] == [1]


def test_a_crash_after_the_count_loses_neither(desk: Desk) -> None:
    """Journals that broke off are mended, the head's too, and entered as one run."""
    session = counted(desk)
    capture(desk, session)
    (journal_path,) = desk.media.glob("*/run-*/*.jsonl")
    head_path = journal_path.parent / "head" / journal_path.name
    with desk.database.transaction() as db:
        db.delete(get_session(db, session).runs[0])
    for path in (journal_path, head_path):
        kept = [text for text in path.read_text().splitlines() if '"kind": "end"' not in text]
        path.write_text("\n".join(kept) + "\n")
    mended = runs.recover(desk, desk.media)
    assert len(mended) == 1
    line = sheet.show(desk, session).rows[0].takes[0]
    assert (line.head, line.recovered) == ("hidden", True)
    assert runs.recover(desk, desk.media) == []


def test_counting_before_rolling_too_and_stepping_through(desk: Desk) -> None:
    session = counted(desk)
    transport.roll(desk, session)
    assert desk.engine_state()["state"] == "rolling"
    transport.stop(desk, session)
    clicking.change(desk, session, {"count_when": "both", "count_sound": "voice"})
    transport.roll(desk, session)
    assert desk.engine_state()["state"] == "counting"
    wait_for(lambda: desk.engine_state()["state"] == "rolling")
    transport.stop(desk, session)
    found = []
    for _ in range(4):
        clicking.step_count(desk, session)
        found.append(clicking.show(desk, session).plan.count_bars)
    assert found == [2, 4, 0, 1]
    with pytest.raises(Refusal, match="can be counted in"):
        clicking.change(desk, session, {"count_bars": 99})


def test_where_the_click_is_silent_and_the_click_as_a_file(desk: Desk) -> None:
    session = demo.load(desk)
    clicking.silence(desk, session, 5, 9)
    clicking.silence(desk, session, 9, 11)
    clicking.silence(desk, session, 30, 0)
    assert clicking.show(desk, session).plan.silences == ((5, 11), (30, 0))
    clicking.unsilence(desk, session, 30)
    sessions.open_session(desk, session)
    with desk.database.transaction() as db:
        here = tempo_of(get_session(db, session))
    transport.locate(desk, session, here.sample_of(13) + 5)
    clicking.stop_here(desk, session)
    assert clicking.show(desk, session).plan.silences == ((5, 11), (14, 0))
    clicking.print_click(desk, session, 3, 16)
    row = sheet.show(desk, session).rows[-1]
    assert (row.name, len(row.takes)) == ("Click", 1)
    info = wavfile.inspect(takes.take_file(desk, session, row.takes[0].id).path)
    assert (info.start, info.frames) == (here.sample_of(3), here.sample_of(16) - here.sample_of(3))
    sound = np.abs(wavfile.read(info)[0])
    loud = [int(n) for n in np.flatnonzero(sound > 0.05) if sound[max(0, n - 900) : n].max(initial=0.0) < 0.01]
    assert loud == [b.sample - info.start for b in here.beats_between(info.start, info.start + info.frames)
                    if not (5 <= b.bar < 11 or b.bar >= 14)]
    clicking.print_click(desk, session, 1, 3)
    assert len(sheet.show(desk, session).rows[-1].takes) == 2, "the same track again"
    for wrong in ((3, 3), (0, 4), (1, 99_999)):
        with pytest.raises(Refusal):
            clicking.print_click(desk, session, *wrong)


def test_a_range_is_looped_unless_it_is_shorter_than_the_buffer(desk: Desk) -> None:
    session = demo.load(desk)
    with pytest.raises(NotNow, match="no range"):
        ranges.switch_loop(desk, session)
    ranges.set_range(desk, session, 2, 3)
    ranges.switch_loop(desk, session)
    loop = plan_of(desk, session).loop
    assert loop is not None
    assert loop[1] - loop[0] == round(3 * 60 * 48000 / 92)
    sessions.open_session(desk, session)
    transport.locate(desk, session, loop[0])
    transport.roll(desk, session)
    pass_time(desk.engine, 2.6)
    assert loop[0] <= desk.engine_state()["position"] < loop[1]
    transport.stop(desk, session)
    for wrong in ((3, 3), (0, 2), (5, 2)):
        with pytest.raises(Refusal, match=r"stayed|stays"):
            ranges.set_range(desk, session, *wrong)
    tempo.set_meter(desk, session, 1, 1, 32)
    tempo.set_tempo(desk, session, 1, 400.0)
    timing.use_for(desk, session, "mixing")
    with pytest.raises(Refusal, match="less than the buffer of 1024"):
        ranges.set_range(desk, session, 2, 3)
    assert plan_of(desk, session).loop == loop
    history.undo(desk, session)
    ranges.switch_loop(desk, session)
    assert plan_of(desk, session).loop is None


def test_bar_1_is_gone_to_wherever_it_stands(desk: Desk) -> None:
    session = demo.load(desk)
    sessions.open_session(desk, session)
    tempo.set_bar_one(desk, session, 96_000)
    assert transport.go_to_bar(desk, session, 1)["position"] == 96_000
    assert transport.move_bars(desk, session, -1)["position"] == 96_000 - round(3 * 48_000 * 60 / 92)


def test_a_copy_keeps_click_and_count(desk: Desk) -> None:
    session = counted(desk)
    clicking.silence(desk, session, 20, 0)
    other = sessions.copy_session(desk, session, "Another")
    plan = plan_of(desk, other).clicking
    assert (plan.count_bars, plan.silences) == (1, ((20, 0),))


def test_the_journal_tells_how_the_run_was_placed(desk: Desk) -> None:
    session = counted(desk)
    capture(desk, session)
    (path,) = desk.media.glob("*/run-*/*.jsonl")
    story = journal.read(Path(path))
    assert story is not None
    assert (story.head.period, story.head.round_trip_samples, story.head.claimed_samples) == (128, 332, 332)
    with desk.database.transaction() as db:
        assert db.query(Take).first().run.round_trip_samples == 332  # type: ignore[union-attr]
        assert compile_plan(desk, get_session(db, session)).line


def test_a_printed_click_is_nothing_to_look_at(desk: Desk) -> None:
    """No feed, no route, and still no finding; armed without a feed, it is one again."""
    session = demo.load(desk)
    before = {f.text for f in sheet.show(desk, session).patch_findings}
    clicking.print_click(desk, session, 1, 3)
    shown = sheet.show(desk, session)
    assert {f.text for f in shown.patch_findings} == before
    tracks.arm_track(desk, session, shown.rows[-1].id, True)
    assert "Nothing feeds Click" in {f.text for f in sheet.show(desk, session).patch_findings}

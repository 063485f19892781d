"""Comps of real takes: chosen, cut, captured over, compared, undone; and what the engine is given of them."""

from pathlib import Path

import numpy as np
import pytest

from cattailer.core.comps.comppiece import Pieces
from cattailer.core.errors import NotFound, NotNow, Refusal
from cattailer.media import wavfile
from cattailer.media.piecesound import heard_between
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.places import folder_of
from cattailer.services.running import arming, binning, marking, ranges, transport
from cattailer.services.session import comping, history
from cattailer.services.session.reading import get_session
from cattailer.services.sounding.comps import pieces_in_use
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.services.stages.takes import (
    cells,
    choosing,
    closeup,
    cutting,
    cutview,
    hearing,
    phrasing,
    sheet,
    waves,
    writing,
)
from cattailer.services.stages.takes import piecesound as sounding
from cattailer.services.stages.timing import rates
from cattailer.store.comps import CellMark, Comp
from cattailer.store.models import Take, Track
from tests.helpers.capturing import all_runs, armed, settled
from tests.helpers.desks import kept
from tests.helpers.queries import queries
from tests.helpers.sessions import more_takes, plan_of, rows_of
from tests.helpers.waiting import wait_for

pytestmark = pytest.mark.without_engine


@pytest.fixture
def passes(desk: Desk) -> int:
    """Three passes over bars 1 and 2 on the first and the sixth track, in four phrases."""

    def captured(desk: Desk) -> int:
        session = armed(desk, passes=3)
        ranges.set_range(desk, session, "1", "2")
        ranges.switch_loop(desk, session)
        transport.capture(desk, session)
        settled(desk)
        phrasing.draw(desk, session, "1", "1.2", "down to the water")
        phrasing.draw(desk, session, "1.3", "1.3")
        phrasing.draw(desk, session, "2", "2")
        return session

    return kept(desk, "three passes", captured)


def tracks_of(desk: Desk, session: int) -> list[int]:
    return [row.id for n, row in enumerate(rows_of(desk, session), 1) if n in (1, 6)]


def takes_on(desk: Desk, track: int) -> list[int]:
    with desk.database.transaction() as db:
        return [t.id for t in db.query(Take).where(Take.track_id == track).order_by(Take.number)]


def comp_of(desk: Desk, session: int, track: int) -> Pieces:
    with desk.database.transaction() as db:
        found = db.get_one(Track, track)
        assert found.comp_id is not None
        return comping.pieces_at(db.get_one(Comp, found.comp_id), get_session(db, session))


def heard(desk: Desk, session: int, track: int, start: int, stop: int) -> np.ndarray:
    pieces = [p for p in plan_of(desk, session).pieces if p.track == track]
    return heard_between(pieces, start, stop)[0]


def sound(desk: Desk, session: int, take: int, start: int, stop: int) -> np.ndarray:
    with desk.database.transaction() as db:
        found = db.get_one(Take, take)
        path = folder_of(desk, get_session(db, session)) / found.media.path
        return wavfile.read(wavfile.inspect(path), start - found.start, stop - start)[0]


def test_a_phrase_of_an_older_take_is_heard_and_the_files_stay_as_they_are(desk: Desk, passes: int) -> None:
    track, other = tracks_of(desk, passes)
    one, two, three = takes_on(desk, track)
    page = sheet.show(desk, passes, track)
    assert [p.name for p in page.phrases] == ["down to the water", "", ""]
    assert [r.number for r in page.rows] == [3, 2, 1]
    assert [c.heard for c in page.rows[0].cells] == ["whole"] * 3
    first, second, third = page.phrases
    choosing.choose(desk, passes, one, first.id)
    choosing.choose(desk, passes, two, second.id)
    assert [p.take for p in comp_of(desk, passes, track)] == [one, two, three]
    for take, phrase in ((one, first), (two, second), (three, third)):
        inside = phrase.start + 1000, phrase.stop - 1000
        assert np.array_equal(heard(desk, passes, track, *inside), sound(desk, passes, take, *inside))
    assert heard(desk, passes, other, first.start + 1000, first.stop - 1000) == pytest.approx(
        sound(desk, passes, takes_on(desk, other)[2], first.start + 1000, first.stop - 1000)
    ), "tracks of other players stay as they were"
    page = sheet.show(desk, passes, track)
    assert [[c.heard for c in row.cells] for row in page.rows] == [
        ["", "", "whole"], ["", "whole", ""], ["whole", "", ""]
    ]
    assert [s.takes for s in page.seams] == [(1, 2), (2, 3)]


def test_the_end_of_a_seam_is_the_next_passes_sound(desk: Desk, passes: int) -> None:
    """Where the captured take ends, its sound goes on in the file of the pass after it."""
    track, _ = tracks_of(desk, passes)
    one, two, _ = takes_on(desk, track)
    with desk.database.transaction() as db:
        session = get_session(db, passes)
        ends = session.range_stop
        reach = pieces_in_use(session, track)[-1]
        sounds = take_sounds(desk, session, [one, two])
    assert sounds[one].reach == (0, 2 * ends), "and the first pass has nothing before it"
    assert sounds[two].reach == (-ends, 2 * ends)
    assert reach.stop == ends
    after = sounds[one].stretches[1]
    assert np.array_equal(
        wavfile.read(wavfile.inspect(Path(after.path)), after.offset, 500)[0],
        sound(desk, passes, two, 0, 500),
    )


def test_each_layer_is_drawn_with_its_own_sound(desk: Desk, passes: int) -> None:
    track, _ = tracks_of(desk, passes)
    one, two, _ = takes_on(desk, track)
    alone = {}
    for take in (one, two):
        choosing.choose(desk, passes, take, 0)
        (alone[take],) = sounding.wave(desk, passes, track, 0, 90_000, 60)
    assert alone[one] != alone[two]
    choosing.choose(desk, passes, one, 0, layered=True)
    assert sounding.wave(desk, passes, track, 0, 90_000, 60, by_layer=True) == [alone[two], alone[one]]


def test_tracks_of_one_player_are_chosen_and_cut_together(desk: Desk, passes: int) -> None:
    track, other = tracks_of(desk, passes)
    phrase = sheet.show(desk, passes, track).phrases[0]
    choosing.put_together(desk, passes, other, track)
    assert [name for _, name in sheet.show(desk, passes, track).with_it] == [
        rows_of(desk, passes)[n].name for n in (1, 5)
    ], "the other side of the pair was there before"
    choosing.choose(desk, passes, takes_on(desk, track)[0], phrase.id)
    assert [p.take for p in comp_of(desk, passes, other)] == [takes_on(desk, other)[n] for n in (0, 2)]
    start = comp_of(desk, passes, track)[1].start
    cutting.move_seam(desk, passes, track, start, start + 777)
    cutting.erase(desk, passes, track, 2000, 3000)
    assert [(p.start, p.stop) for p in comp_of(desk, passes, track)] == [
        (p.start, p.stop) for p in comp_of(desk, passes, other)
    ]
    cutting.set_gain(desk, passes, track, 0, -6.0)
    assert comp_of(desk, passes, other)[0].gain_db == 0.0, "microphones differ in level"
    choosing.put_together(desk, passes, other, other)
    cutting.erase(desk, passes, track, 5000, 6000)
    assert len(comp_of(desk, passes, track)) == len(comp_of(desk, passes, other)) + 1
    cutting.trim(desk, passes, other, 0, 0, 500)
    choosing.put_together(desk, passes, other, track)
    before, name = comp_of(desk, passes, track), rows_of(desk, passes)[5].name
    with pytest.raises(Refusal, match=f"longer than the piece.*on {name}"):
        cutting.set_fades(desk, passes, track, 0, (20.0, "linear"), (0.0, "linear"))
    assert comp_of(desk, passes, track) == before, "what one cannot do, none does"
    cutting.move(desk, passes, track, before[2].start, 10)
    assert comp_of(desk, passes, other)[0].stop == 500, "where nothing begins on the other track, it stays"


@pytest.mark.with_engine
def test_a_capture_over_a_comp_makes_a_new_one_and_discarding_goes_back(desk: Desk, passes: int) -> None:
    track, _ = tracks_of(desk, passes)
    phrase = sheet.show(desk, passes, track).phrases[0]
    choosing.choose(desk, passes, takes_on(desk, track)[0], phrase.id)
    old = comp_of(desk, passes, track)
    transport.locate(desk, passes, 0)
    transport.capture(desk, passes)
    settled(desk)
    page = sheet.show(desk, passes, track)
    assert [name for _, name in page.comps] == ["comp 1 + take 4", "comp 1"]
    assert page.before == "comp 1"
    newest = takes_on(desk, track)[-1]
    assert [p.take for p in comp_of(desk, passes, track)] == [newest], "three passes went over all of it"
    choosing.compare(desk, passes, track)
    assert comp_of(desk, passes, track) == old
    choosing.compare(desk, passes, track)
    for number in (6, 5, 4):
        binning.discard(desk, passes, number)
    assert comp_of(desk, passes, track) == old, "what was captured over it is discarded"
    assert all_runs(desk, passes)[0].number == 1


def test_undo_goes_back_through_every_choice(desk: Desk, passes: int) -> None:
    track, _ = tracks_of(desk, passes)
    takes, phrases = takes_on(desk, track), sheet.show(desk, passes, track).phrases
    states = []
    for take, phrase in ((takes[0], phrases[0]), (takes[1], phrases[0]), (takes[1], phrases[2])):
        choosing.choose(desk, passes, take, phrase.id)
        states.append(comp_of(desk, passes, track))
    cells.rate(desk, passes, takes[0], phrases[0].id, "good")
    history.undo(desk, passes)
    with desk.database.transaction() as db:
        assert db.query(CellMark).count() == 0
    for state in reversed(states):
        assert comp_of(desk, passes, track) == state
        history.undo(desk, passes)
    assert sheet.show(desk, passes, track).used == 0
    for state in states:
        history.redo(desk, passes)
        assert comp_of(desk, passes, track) == state
    phrasing.remove(desk, passes, phrases[0].id)
    history.undo(desk, passes)
    assert [p.id for p in sheet.show(desk, passes, track).phrases] == [p.id for p in phrases]


def test_marks_notes_and_what_was_said_while_it_was_captured(desk: Desk, passes: int) -> None:
    track, _ = tracks_of(desk, passes)
    take, phrase = takes_on(desk, track)[0], sheet.show(desk, passes, track).phrases[0].id
    cells.rate(desk, passes, take, phrase, "maybe")
    cells.note(desk, passes, take, phrase, "  late   entry ")
    marking.rate(desk, passes, "good", 1)
    page = sheet.show(desk, passes, track)
    cell = page.rows[2].cells[0]
    assert (cell.rating, cell.note, page.rows[2].rating) == ("maybe", "late entry", "good")
    with pytest.raises(NotNow, match="changed on another page"):
        cells.note(desk, passes, take, phrase, "early", was="")
    cells.rate(desk, passes, take, phrase, "maybe")
    cells.note(desk, passes, take, phrase, "")
    with desk.database.transaction() as db:
        assert db.query(CellMark).count() == 0, "what says nothing is not kept"
    facts = closeup.of_cell(desk, passes, take, phrase)
    assert facts.sounds
    assert "peak" in facts.facts
    assert (facts.first, facts.from_s) == ("1", 0.0)
    with pytest.raises(NotFound):
        cells.rate(desk, passes, take, 9999, "good")
    with pytest.raises(Refusal):
        cells.rate(desk, passes, take, phrase, "lovely")


@pytest.mark.with_engine
def test_a_take_is_tried_in_the_mix_and_nothing_is_chosen(desk: Desk, passes: int) -> None:
    track, _ = tracks_of(desk, passes)
    one, _, three = takes_on(desk, track)
    phrase = sheet.show(desk, passes, track).phrases[0]
    inside = phrase.start + 1000, phrase.stop - 1000
    hearing.hear(desk, passes, one, phrase.id)
    assert np.array_equal(heard(desk, passes, track, *inside), sound(desk, passes, one, *inside))
    assert sheet.show(desk, passes, track).hearing == (one, phrase.id)
    writing.begin(desk, passes, as_it_lies=False)
    wait_for(lambda: not writing.state(desk, passes).going)
    assert sheet.show(desk, passes, track).hearing == (0, 0), "what is written is what is in use"
    written = next(Path(writing.state(desk, passes).folder).glob("*left.wav"))
    assert np.array_equal(
        wavfile.read(wavfile.inspect(written))[0][slice(*inside)], sound(desk, passes, three, *inside)
    )
    hearing.hear(desk, passes, one, phrase.id)
    assert sheet.show(desk, passes, track).used == 0
    wait_for(lambda: desk.engine_state().state == "stopped")
    assert desk.engine_state().position == phrase.start, "it stops at the phrase's end, and is back at its beginning"
    hearing.hear(desk, passes, one, phrase.id)
    assert desk.engine_state().state == "rolling", "heard once more"
    hearing.hear(desk, passes, one, phrase.id)
    assert desk.engine_state().state == "stopped", "the same while it rolls ends it"
    assert np.array_equal(heard(desk, passes, track, *inside), sound(desk, passes, three, *inside))
    hearing.hear(desk, passes, one, phrase.id)
    transport.stop(desk, passes)
    transport.roll(desk, passes)
    assert sheet.show(desk, passes, track).hearing == (0, 0), "Space plays what is in use"
    transport.stop(desk, passes)
    hearing.hear(desk, passes, one, phrase.id)
    transport.capture(desk, passes)
    assert sheet.show(desk, passes, track).hearing == (0, 0), "what is played to is what is in use"
    assert np.array_equal(heard(desk, passes, track, *inside), sound(desk, passes, three, *inside))
    transport.stop(desk, passes)
    settled(desk)


def test_a_comp_whose_take_is_binned_or_deleted_says_so_and_the_rest_plays(desk: Desk, passes: int) -> None:
    track, _ = tracks_of(desk, passes)
    one = takes_on(desk, track)[0]
    first, second, _ = sheet.show(desk, passes, track).phrases
    choosing.choose(desk, passes, one, first.id)
    binning.discard(desk, passes, 1)
    page = sheet.show(desk, passes, track)
    assert "Silent in this comp" in page.missing
    assert not heard(desk, passes, track, first.start + 1000, first.stop - 1000).any()
    assert heard(desk, passes, track, second.start + 1000, second.stop - 1000).any()
    binning.delete(desk, passes, [1], knows=True, sure=True)
    page = sheet.show(desk, passes, track)
    assert "in the bin or deleted" in page.missing
    assert cutview.show(desk, passes, track).pieces[0].gone
    with pytest.raises(NotNow, match="not there"):
        cutting.trim(desk, passes, track, 0, 0, 500)


def test_cuts_land_where_they_should_and_refuse_in_words(desk: Desk, passes: int) -> None:
    track, _ = tracks_of(desk, passes)
    cutting.split(desk, passes, track, 30_000, "beats")
    pieces = comp_of(desk, passes, track)
    beat = pieces[1].start
    cutting.nudge(desk, passes, track, beat, 10, "ms")
    assert comp_of(desk, passes, track)[1].start == beat + 480
    with pytest.raises(NotNow, match="changed on another page"):
        cutting.nudge(desk, passes, track, beat, 1, "ms")
    with pytest.raises(Refusal, match="longer than the piece"):
        cutting.set_fades(desk, passes, track, 0, (9_000.0, "linear"), (0.0, "linear"))
    cutting.set_fades(desk, passes, track, 0, (20.0, "s-curve"), (0.0, "linear"))
    assert comp_of(desk, passes, track)[0].fade_in.samples == 960
    with pytest.raises(Refusal, match="no length"):
        cutting.set_seam(desk, passes, track, 0, "long", "")
    cutting.split(desk, passes, track, 20_000, "zero")
    at = comp_of(desk, passes, track)[1].start
    around = heard(desk, passes, track, at - 1, at + 1)
    assert np.signbit(around[0]) != np.signbit(around[1]) or around[1] == 0.0
    cutting.flip(desk, passes, track, at)
    assert comp_of(desk, passes, track)[1].flipped
    cutting.take_away(desk, passes, track, at)
    assert not heard(desk, passes, track, at + 200, at + 400).any()


def test_comps_are_copied_named_and_removed(desk: Desk, passes: int) -> None:
    track, _ = tracks_of(desk, passes)
    choosing.make(desk, passes, track, " evening ")
    choosing.make(desk, passes, track)
    page = sheet.show(desk, passes, track)
    assert [name for _, name in page.comps] == ["comp 1", "evening"]
    evening = page.comps[1][0]
    with pytest.raises(Refusal, match="called “evening” already"):
        choosing.rename(desk, passes, page.comps[0][0], "evening")
    choosing.rename(desk, passes, evening, "night")
    choosing.use(desk, passes, track, evening)
    choosing.remove(desk, passes, evening)
    assert sheet.show(desk, passes, track).used == 0
    history.undo(desk, passes)
    assert sheet.show(desk, passes, track).used == evening
    with pytest.raises(NotFound):
        choosing.use(desk, passes, track, 9999)


def test_what_a_choice_costs_does_not_grow_with_takes(desk: Desk, passes: int) -> None:
    track, _ = tracks_of(desk, passes)
    takes, phrase = takes_on(desk, track), sheet.show(desk, passes, track).phrases[0].id
    costs = []
    for runs in (0, 30):
        more_takes(desk, passes, runs, 10)
        choosing.choose(desk, passes, takes[1], phrase)
        with queries(desk.database) as asked:
            choosing.choose(desk, passes, takes[0], phrase)
        costs.append(len(asked))
    assert costs[1] <= costs[0]


def test_waves_of_cells_and_of_what_is_in_use(desk: Desk, passes: int) -> None:
    track, _ = tracks_of(desk, passes)
    takes = takes_on(desk, track)
    drawn = waves.of_takes(desk, passes, takes, 40)
    assert {t: len(w) for t, w in drawn.items()} == dict.fromkeys(takes, 3 * 40 * 2)
    used = waves.in_use(desk, passes, track, 40)
    assert used == drawn[takes[-1]]
    (near,) = sounding.wave(desk, passes, track, 100, 140, 40)
    exact = sound(desk, passes, takes[-1], 100, 140)
    assert near[::2] == [round(float(v) * 127) for v in exact]
    arming.arm_all(desk, passes, False)


def test_at_another_rate_the_comp_is_the_same_and_heard_from_what_was_converted(desk: Desk, passes: int) -> None:
    track, _ = tracks_of(desk, passes)
    first, second, _ = sheet.show(desk, passes, track).phrases
    takes = takes_on(desk, track)
    choosing.choose(desk, passes, takes[0], first.id)
    choosing.choose(desk, passes, takes[1], second.id)
    rates.begin(desk, passes, 44_100)
    wait_for(lambda: get_conversion(desk, passes) != "running", 60)
    with desk.database.transaction() as db:
        assert get_session(db, passes).rate_hz == 44_100
    pieces = comp_of(desk, passes, track)
    assert [p.take for p in pieces] == [takes[0], takes[1], takes[2]]
    assert all(a.stop == b.start for a, b in zip(pieces, pieces[1:], strict=False))
    assert {Path(p.path).parent.name for p in plan_of(desk, passes).pieces} == {"at-44100"}
    page = sheet.show(desk, passes, track)
    assert [[c.heard for c in row.cells] for row in page.rows] == [
        ["", "", "whole"], ["", "whole", ""], ["whole", "", ""]
    ]
    cutting.move_seam(desk, passes, track, pieces[1].start, pieces[1].start + 441)
    assert heard(desk, passes, track, pieces[1].start + 1000, pieces[1].start + 2000).any()


def get_conversion(desk: Desk, session: int) -> str:
    found = desk.live.find(session, rates.Conversion)
    return found.state if found else ""


def test_a_comp_of_which_everything_was_erased_is_shown_and_filled_again(desk: Desk, passes: int) -> None:
    track, _ = tracks_of(desk, passes)
    cutting.take_away(desk, passes, track, 0)
    assert cutview.show(desk, passes, track).pieces == []
    assert sheet.show(desk, passes, track).seams == []
    with pytest.raises(NotFound):
        cutview.piece(desk, passes, track, 0)
    assert not [p for p in plan_of(desk, passes).pieces if p.track == track]
    choosing.choose(desk, passes, takes_on(desk, track)[0])
    assert [p.take for p in comp_of(desk, passes, track)] == [takes_on(desk, track)[0]]

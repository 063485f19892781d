"""The sheet of ears as services: cells, columns, ways of listening, what is written down."""

import pytest

from cattailer.core.advice import ears
from cattailer.core.errors import NotFound, Refusal
from cattailer.core.mix.moving import Move
from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo
from cattailer.services.stages.listen import columns, gestures, listening, show
from tests.helpers.sessions import plan_of, the_patch, words

pytestmark = pytest.mark.without_engine

pytestmark = pytest.mark.without_engine


def cell(desk: Desk, session: int, name: str, mix: str) -> show.CellView:
    page = show.show(desk, session)
    number = next(e.mix.id for e in page.ears if e.mix.name == mix)
    row = next(r for r in page.rows if r.name == name)
    return next(c for c in row.cells if c.mix == number)


def test_what_cannot_be_is_refused_whole(desk: Desk) -> None:
    session = demo.load(desk)
    one = cell(desk, session, "Narrator", "Cue narrator")
    before = words(desk, session)
    for bad in (Move("track:999", "", "pan", 0.0), Move(one.end, "mix:999", "level_db", 0.0), Move(one.end, "", "pan", 7.0)):
        with pytest.raises(Refusal):
            gestures.settle(desk, session, [Move(one.end, one.target, "level_db", -9.0), bad])
    assert words(desk, session) == before
    assert cell(desk, session, "Narrator", "Cue narrator").level_db == 0.0
    with pytest.raises(NotFound):
        gestures.settle(desk, 999, [Move(one.end, one.target, "level_db", -9.0)])


def test_a_player_comes_forward_before_the_faders_and_is_limited(desk: Desk) -> None:
    session = demo.load(desk)
    mix = next(e.mix.id for e in show.show(desk, session).ears if e.mix.name == "Cue narrator")
    narrator = next(t for t in the_patch(desk, session).tracks if t.name == "Narrator")
    columns.set_own(desk, session, mix, narrator.id, True)
    columns.set_after_fader(desk, session, mix, False)
    columns.set_limit(desk, session, mix, "true peak")
    gestures.settle(desk, session, [Move(f"mix:{mix}", "", "forward_db", 6.0)])
    made = next(m for m in plan_of(desk, session).mixes if m.id == mix)
    assert (made.own, made.after_fader, made.limit_dbfs, made.forward_db) == ((narrator.id,), False, -6.0, 6.0)
    with pytest.raises(Refusal, match="Choose one of true peak, samples only, off"):
        columns.set_limit(desk, session, mix, "hard")
    columns.set_limit(desk, session, mix, "off")
    assert next(m for m in plan_of(desk, session).mixes if m.id == mix).limit_dbfs is None


def test_listening_is_chosen_for_all_and_for_one_mix(desk: Desk) -> None:
    session = demo.load(desk)
    patch = the_patch(desk, session)
    track, mix = patch.tracks[7], next(m for m in patch.mixes if m.name == "Cue narrator")
    listening.choose(desk, session, track.id, "when", "always")
    listening.choose_in(desk, session, track.id, mix.id, "point", "raw")
    plan = plan_of(desk, session)
    assert plan.tracks[7].listen.when == "always"
    assert plan.cells[0].listen(plan.tracks[7].listen).point == "raw"
    listening.choose_in(desk, session, track.id, mix.id, "point", "")
    assert plan_of(desk, session).cells == ()
    for bad in (("when", "never"), ("who", "always")):
        with pytest.raises(Refusal, match="no such way"):
            listening.choose(desk, session, track.id, *bad)


def test_hearing_alone_is_no_edit(desk: Desk) -> None:
    session = demo.load(desk)
    before = words(desk, session)
    track = the_patch(desk, session).tracks[2]
    listening.hear_alone(desk, session, track.key)
    assert plan_of(desk, session).alone == track.key
    assert words(desk, session) == before
    listening.hear_alone(desk, session, "")
    assert plan_of(desk, session).alone == ""
    with pytest.raises(Refusal, match="not there"):
        listening.hear_alone(desk, session, "track:999")


def test_the_check_names_players_without_their_own_sound(desk: Desk) -> None:
    session = demo.load(desk)
    patch = the_patch(desk, session)
    mix, narrator, drum = patch.mixes[2], patch.tracks[7], patch.tracks[5]
    assert [f.kind for f in show.show(desk, session).findings] == ["good"]
    columns.set_own(desk, session, mix.id, narrator.id, True)
    assert [f.kind for f in show.show(desk, session).findings] == ["good"]
    gestures.settle(desk, session, [Move(narrator.key, mix.key, "muted", 1.0)])
    columns.set_own(desk, session, mix.id, drum.id, True)
    found = show.show(desk, session).findings
    assert [f.text for f in found] == [
        "Cue narrator is without Frame drum, its player's own sound", "Cue narrator is without Narrator, its player's own sound",
    ]
    assert show.show(desk, session).frame.marks["listen"] == "look"
    columns.let_in(desk, session, narrator.id, mix.id)
    columns.let_in(desk, session, drum.id, mix.id)
    assert show.show(desk, session).frame.marks["listen"] == "settled"
    reached = {t.key: {mix.key} for t in patch.tracks[:-1]}
    own = the_patch(desk, session)
    texts = [f.text for f in ears.check(own, 11.0, reached)]
    assert any("hear themselves 11.0 ms late" in t for t in texts)
    assert any("Room right is heard in no mix" in t for t in texts)
    alike = {t.key: {m.key for m in patch.mixes} for t in patch.tracks}
    (found,) = ears.check(patch, 5.0, alike, [mix.id])
    assert found.text == "The limiter of Cue narrator works all the time: turn the mix down, or let it pass more"

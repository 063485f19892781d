"""Effects on rows, returns and sends."""

import pytest

from cattailer.core.errors import NotFound, Refusal, Sure
from cattailer.core.mix.costs import Costs
from cattailer.core.mix.effects import Compressor, Equaliser, Reverb
from cattailer.core.mix.moving import Move
from cattailer.services.desk.desk import Desk
from cattailer.services.running.runheader import next_run
from cattailer.services.session import demo, history
from cattailer.services.session.reading import get_session
from cattailer.services.stages.capture import show as capture
from cattailer.services.stages.listen import columns, costing, effects, gestures, inserts, show
from tests.helpers.sessions import plan_of, the_patch, words

pytestmark = pytest.mark.without_engine

pytestmark = pytest.mark.without_engine


def test_effects_are_put_in_moved_and_taken_out(desk: Desk) -> None:
    session = demo.load(desk)
    narrator = the_patch(desk, session).tracks[7]
    inserts.insert(desk, session, narrator.key, "eq")
    inserts.insert(desk, session, narrator.key, "dyn")
    gestures.settle(desk, session, [Move(narrator.key, "", "eq.one_hz", 2500.0), Move(narrator.key, "", "eq.one_db", 4.0)])
    made = plan_of(desk, session).tracks[7].effects
    assert (made.eq, made.dyn) == (Equaliser(one_hz=2500.0, one_db=4.0), Compressor())
    inserts.insert(desk, session, narrator.key, "eq")
    assert plan_of(desk, session).tracks[7].effects == made, "what is there already keeps its settings"
    page = show.show(desk, session)
    found = effects.closely(page, narrator.key, "eq", 48_000)
    assert found is not None
    assert [s.shown for s in found.settings if s.name.startswith("one")] == ["2500", "+4", "1"]
    assert found.curve.startswith("M0.0 52.0")
    assert effects.closely(page, narrator.key, "reverb", 48_000) is None
    gestures.settle(desk, session, [Move(narrator.key, "", "dyn.on", 0.0)])
    assert plan_of(desk, session).tracks[7].effects.dyn == Compressor(on=False)
    inserts.take_out(desk, session, narrator.key, "eq")
    assert plan_of(desk, session).tracks[7].effects.eq is None
    history.undo(desk, session)
    assert plan_of(desk, session).tracks[7].effects.eq == made.eq
    for kind, end in (("reverb", narrator.key), ("fuzz", narrator.key), ("eq", f"mix:{the_patch(desk, session).mixes[0].id}")):
        with pytest.raises(Refusal):
            inserts.insert(desk, session, end, kind)
    with pytest.raises(Refusal, match="goes from -18 to 18"):
        gestures.settle(desk, session, [Move(narrator.key, "", "eq.one_db", 40.0)])


def test_returns_come_with_a_space_and_are_sent_to(desk: Desk) -> None:
    session = demo.load(desk)
    first, second = inserts.add_return(desk, session), inserts.add_return(desk, session)
    plan = plan_of(desk, session)
    assert [(r.name, r.effects.reverb.space) for r in plan.returns if r.effects.reverb] == [("Grain barn", "grain barn"), ("Pantry", "pantry")]
    track = the_patch(desk, session).tracks[2]
    columns.set_send(desk, session, track.key, f"return:{first}", -15.0)
    columns.set_send(desk, session, f"return:{first}", f"return:{second}", -20.0)
    cells = {c.route: c.level_db for c in plan_of(desk, session).cells}
    assert cells[track.key, f"return:{first}"] == -15.0
    with pytest.raises(Refusal, match="close a loop: Pantry → Grain barn → Pantry"):
        columns.set_send(desk, session, f"return:{second}", f"return:{first}", 0.0)
    with pytest.raises(Refusal, match="Only rows are sent"):
        columns.set_send(desk, session, "click", f"return:{first}", 0.0)
    page = show.show(desk, session)
    row = next(r for r in effects.rows_of(page) if r.key == track.key)
    assert [s.level for s in row.sends] == ["−15", ""]
    columns.set_send(desk, session, track.key, f"return:{first}", None)
    assert (track.key, f"return:{first}") not in the_patch(desk, session).routes
    inserts.choose_space(desk, session, f"return:{first}", "stone stair")
    gestures.settle(desk, session, [Move(f"return:{first}", "", "reverb.predelay_ms", 35.0)])
    assert plan_of(desk, session).returns[0].effects.reverb == Reverb(space="stone stair", predelay_ms=35.0)
    history.undo(desk, session)
    inserts.rename_return(desk, session, first, "Stair", "Grain barn")
    assert words(desk, session)[0] == "Grain barn renamed to Stair"
    inserts.remove_return(desk, session, first)
    assert [r.id for r in the_patch(desk, session).returns] == [second]
    assert all(f"return:{first}" not in route for route in the_patch(desk, session).routes)
    history.undo(desk, session)
    assert [r.name for r in the_patch(desk, session).returns] == ["Stair", "Pantry"]
    with pytest.raises(NotFound):
        inserts.remove_return(desk, session, 999)


def test_an_effect_that_is_too_slow_is_asked_about_before_it_is_switched_on(
    desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    session = demo.load(desk)
    key, asked = the_patch(desk, session).tracks[0].key, []

    def slow(_: Desk, session_id: int) -> Costs:
        asked.append(session_id)
        return Costs(48_000, 32, dict.fromkeys(("eq", "dyn", "reverb"), 300.0), dict.fromkeys(("eq", "dyn", "reverb"), 1.0), 400.0)

    monkeypatch.setattr(costing, "costs", slow)
    with pytest.raises(Sure, match=r"An equaliser takes about 301 µs. A block of 32 samples has 667"):
        inserts.insert(desk, session, key, "eq")
    assert not plan_of(desk, session).tracks[0].effects
    inserts.insert(desk, session, key, "eq", sure=True)
    inserts.switch(desk, session, key, "eq", False)
    with pytest.raises(Sure):
        inserts.switch(desk, session, key, "eq", True)
    assert plan_of(desk, session).tracks[0].effects.eq == Equaliser(on=False)
    inserts.switch(desk, session, key, "eq", True, sure=True)
    with pytest.raises(Sure, match="A reverb"):
        inserts.add_return(desk, session)
    assert not plan_of(desk, session).returns
    assert len(asked) == 3, "whoever is sure, and who switches off, is not asked"


def test_tracks_can_capture_their_effects(desk: Desk) -> None:
    session = demo.load(desk)
    track = the_patch(desk, session).tracks[0]
    inserts.insert(desk, session, track.key, "eq")
    assert [r.prints for r in effects.rows_of(show.show(desk, session))][:2] == [False, None]
    inserts.set_prints(desk, session, track.id, True)
    assert words(desk, session)[0] == f"Effects of {track.name} captured too"
    assert plan_of(desk, session).tracks[0].prints
    with desk.database.transaction() as db:
        header = next_run(desk, db, get_session(db, session), [track.id, the_patch(desk, session).tracks[1].id])[0]
    assert [f.prints for f in header.files] == [True, False]
    assert capture.show(desk, session).rows[0].effects == "effects captured too"

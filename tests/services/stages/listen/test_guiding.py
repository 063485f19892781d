"""Guide notes on the timeline and by hand."""

import pytest

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.mix.moving import Move
from cattailer.core.notes.guide import Guide
from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo, history, opening, sessions, templates
from cattailer.services.stages.listen import costing, gestures, guiding, show
from cattailer.web.live.hand import Hand
from tests.helpers.sessions import plan_of, the_patch, words


@pytest.mark.without_engine
def test_guides_are_placed_taken_away_undone_and_go_into_copies(desk: Desk) -> None:
    session = demo.load(desk)
    guiding.place(desk, session, 5, 1, 3.0, [64, 57, 60])
    guiding.place(desk, session, 3, 2, 1.0, [69])
    guiding.place(desk, session, 5, 1, 2.0, [57])
    assert plan_of(desk, session).guides == (Guide(3, 2, 1.0, (69,)), Guide(5, 1, 2.0, (57,))), "one a beat, in order"
    assert words(desk, session)[0] == "Guide A3 at bar 5"
    history.undo(desk, session)
    assert plan_of(desk, session).guides[1].pitches == (57, 60, 64)
    templates.save(desk, session, "With guides")
    key = next(c.key for c in templates.cards(desk) if c.name == "With guides")
    copy = sessions.create_session(desk, "Copy", sessions.Hardware("marshgate-16"), key)
    assert plan_of(desk, copy).guides == plan_of(desk, session).guides
    guiding.remove(desk, session, 3, 2)
    assert [g.bar for g in guiding.placed(desk, session)] == [5]
    with pytest.raises(Refusal, match="not there any more"):
        guiding.remove(desk, session, 3, 2)
    for bar, beat, keys, why in ((1, 4, [60], "has 3 beats"), (1, 1, [], "at least one"), (1, 1, [10], "goes from")):
        with pytest.raises(Refusal, match=why):
            guiding.place(desk, session, bar, beat, 1.0, keys)
    for bar in range(10, 73):
        guiding.place(desk, session, bar, 1, 1.0, [60])
    with pytest.raises(NotNow, match="at most 64"):
        guiding.place(desk, session, 100, 1, 1.0, [60])
    row = next(r for r in show.show(desk, session).rows if r.key == "guide")
    assert [c.there for c in row.cells] == [m.kind != "main" for m in the_patch(desk, session).mixes]
    cue = next(m for m in the_patch(desk, session).mixes if m.kind == "cue")
    gestures.settle(desk, session, [Move("guide", cue.key, "level_db", -6.0)])
    assert words(desk, session)[0] == f"Guide notes level −6.0 dB in {cue.name}"


def test_a_page_that_is_gone_holds_no_keys(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    session = demo.load(desk)
    opening.open_session(desk, session)
    held: list[list[int]] = []
    real = guiding.hold
    monkeypatch.setattr(guiding, "hold", lambda d, s, keys: (held.append(list(keys)), real(d, s, keys)))
    hand = Hand(desk, session)
    hand.hold([60, 64])
    hand.leave()
    hand.leave()
    assert held == [[60, 64], [], []][: len(held)]
    assert held[1] == []
    with pytest.raises(Refusal, match="goes from C2 to C7"):
        hand.hold([12])


def test_what_effects_cost_is_asked_of_the_engine_that_runs_the_session(desk: Desk) -> None:
    session = demo.load(desk)
    assert costing.costs(desk, session) is None, "nothing is open"
    opening.open_session(desk, session)
    found = costing.costs(desk, session)
    assert found is not None
    assert (found.rate_hz, found.period, set(found.alone_us)) == (48_000, 128, {"eq", "dyn", "reverb"})
    assert "of 2667" in found.words("reverb", 2)

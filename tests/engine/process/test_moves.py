"""Controls that move: heard at once, held against plans that do not know of them, written over by those that do."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.errors import Refusal
from cattailer.core.mix.compiling import Compiler
from cattailer.core.mix.effects import Effects, Equaliser
from cattailer.core.mix.moving import Move, moved
from cattailer.core.mix.stepping import Step, value_in
from cattailer.core.plan import GroupPlan, MixPlan, Plan, TrackPlan
from cattailer.engine.process import moves as moves_module
from cattailer.engine.process.moves import Moves
from tests.helpers.plans import plan_of

DOWN = Move("track:1", "", "fader_db", -12.0)


def plan() -> Plan:
    tracks = (TrackPlan(1, "A", (0,), True, effects=Effects(Equaliser())), TrackPlan(2, "B", (1, 2), True))
    made = plan_of(*tracks, groups=(GroupPlan(1, "G"),))
    return replace(made, mixes=(*made.mixes, MixPlan(2, "Cue", (2, 3), 0.0, False)),
                   routes=(*made.routes, ("track:1", "mix:2"), ("track:2", "group:1"), ("group:1", "mix:2")))


@pytest.mark.parametrize(("move", "words"), [
    (Move("track:9", "", "fader_db", 0.0), "not there"), (Move("track:1", "", "fader_db", 40.0), "goes from"),
    (Move("track:1", "", "inputs", 1.0), "cannot be moved"), (Move("mix:1", "", "outputs", 1.0), "cannot be moved"),
    (Move("track:2", "mix:2", "level_db", 0.0), "not there"), (Move("track:1", "mix:2", "when", 0.0), "cannot be moved"),
    (Move("track:1", "", "eq.low_db", 99.0), "goes from"), (Move("track:1", "", "dyn.ratio", 2.0), "not there"),
    (Move("track:1", "", "eq.nothing", 2.0), "no such setting"), (Move("nothing", "", "pan", 0.0), "cannot be moved"),
    (Move("track:x", "", "pan", 0.0), "not there"), (Move("track:١", "", "pan", 0.0), "not there"),
])
def test_what_cannot_be_moved_is_refused(move: Move, words: str) -> None:
    with pytest.raises(Refusal, match=words):
        moved(plan(), move)


def test_a_move_changes_what_it_says_and_nothing_else() -> None:
    was = plan()
    assert moved(was, Move("track:1", "", "fader_db", 0.0)) is was
    assert moved(was, DOWN).tracks == (replace(was.tracks[0], fader_db=-12.0), was.tracks[1])
    cell = moved(was, Move("track:1", "mix:2", "muted", 1.0)).cells
    assert [(c.route, c.muted, c.level_db) for c in cell] == [(("track:1", "mix:2"), True, 0.0)]
    assert moved(was, Move("track:1", "", "eq.one_db", 3.0)).tracks[0].effects.eq == Equaliser(one_db=3.0)
    assert moved(was, Move("mix:2", "", "forward_db", 6.0)).mixes[1].forward_db == 6.0


def test_what_is_moved_holds_until_the_database_says_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    moves, was = Moves(), plan()
    moves.add(was, [DOWN])
    assert moves.waiting
    other = replace(was, revision=2, title="Edited meanwhile")
    assert moves.over(other, settles=True).tracks[0].fader_db == -12.0
    assert moves.over(other, settles=True).tracks[0].fader_db == -12.0, "still held"
    written = replace(moved(was, DOWN), revision=3)
    assert moves.over(written, settles=True) is written
    undone = replace(was, revision=4)
    assert moves.over(undone, settles=True) is undone, "what was written down is not held any more"
    moves.add(was, [DOWN])
    monkeypatch.setattr(moves_module, "HELD_S", 0.0)
    assert moves.over(undone, settles=True) is undone, "nor what nobody wrote down for long"


def test_all_of_several_moves_or_none() -> None:
    moves, was = Moves(), plan()
    with pytest.raises(Refusal):
        moves.add(was, [DOWN, Move("track:9", "", "pan", 0.0)])
    assert not moves.waiting
    assert moves.over(was) is was


@pytest.mark.parametrize(("step", "value"), [
    (Step("track:1", "", "fader_db", -3.0), -3.0), (Step("track:1", "", "fader_db", 99.0), 12.0),
    (Step("track:1", "mix:2", "pan", 0.1), 0.1), (Step("track:1", "", "eq.one_db", 1.5), 1.5),
    (Step("track:1", "", "eq.low_hz", -999.0), 20.0), (Step("mix:2", "", "forward_db", -1.0), 0.0),
])
def test_a_step_leads_on_from_where_a_control_is(step: Step, value: float) -> None:
    was = plan()
    assert value_in(moved(was, step.onto(value_in(was, step))), step) == value


@pytest.mark.parametrize("step", [
    Step("track:9", "", "fader_db", 1.0), Step("track:1", "", "inputs", 1.0), Step("track:1", "", "dyn.ratio", 1.0),
    Step("track:1", "", "eq.nothing", 1.0), Step("track:1", "", "no.such", 1.0), Step("track:2", "mix:2", "level_db", 1.0),
])
def test_what_cannot_be_stepped_is_refused(step: Step) -> None:
    with pytest.raises(Refusal):
        Moves().add(plan(), [step])


def test_steps_of_two_pages_add_up_over_what_is_held() -> None:
    moves, was = Moves(), plan()
    for _ in range(8):
        moves.add(was, [Step("track:1", "", "fader_db", -1.0)])
        moves.add(was, [Step("track:1", "", "fader_db", -1.0)])
    assert moves.over(was).tracks[0].fader_db == -16.0


levels = st.sampled_from([0.0, -3.0, -20.0])
MOVES = st.one_of(
    st.tuples(st.just("track:1"), st.just("mix:2"), st.sampled_from(["level_db", "pan", "muted"]), st.sampled_from([0.0, 0.5, 1.0])),
    st.tuples(st.just("group:1"), st.just("mix:2"), st.just("level_db"), levels),
    st.tuples(st.just("mix:2"), st.just(""), st.sampled_from(["fader_db", "forward_db"]), st.sampled_from([0.0, 6.0])),
    st.tuples(st.just("track:2"), st.just(""), st.just("fader_db"), levels),
    st.tuples(st.just("click"), st.just("mix:1"), st.just("level_db"), levels),
)


@given(st.lists(MOVES, max_size=12))
def test_working_out_what_moved_gives_what_working_out_all_gives(said: list[tuple[str, str, str, float]]) -> None:
    now = plan()
    compiler = Compiler(now)
    for each in said:
        now = moved(now, Move(*each))
        if compiler.again(now) is None:
            compiler = Compiler(now)
        whole = Compiler(now).flow
        assert compiler.flow.key == whole.key
        for a, b in zip(compiler.flow.matrices, whole.matrices, strict=True):
            assert np.allclose(a, b, atol=1e-7)

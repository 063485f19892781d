"""Controls that are nudged: steps add up from wherever a control is, and end where it ends."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.mix.moving import Move
from cattailer.core.mix.stepping import Gestures, Step, end_of

FADER = ("track:1", "", "fader_db")
tenths = st.integers(-300, 300).map(lambda n: n / 10)
done = st.lists(st.one_of(
    tenths.map(lambda by: Step(*FADER, by)), st.integers(-600, 120).map(lambda v: Move(*FADER, v / 10)),
), min_size=1, max_size=12)


@given(done, st.lists(st.integers(1, 4), max_size=6), st.integers(-600, 120))
def test_what_is_joined_ends_where_one_after_the_other_does(
    moves: list[Move | Step], parts: list[int], start: int
) -> None:
    """However what was done is cut into moments, and joined again."""
    joined = Gestures()
    now, rest = start / 10, list(moves)
    for move in moves:
        now = move.value if isinstance(move, Move) else round(min(max(now + move.by, -60.0), 12.0), 2)
    while rest:
        size = parts.pop() if parts else len(rest)
        part, rest = Gestures().then(rest[:size]), rest[size:]
        joined = joined.then(part.moves)
    assert end_of(joined.of_control[FADER], start / 10).value == pytest.approx(now)

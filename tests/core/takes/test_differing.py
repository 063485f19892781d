"""Where two lists of pieces sound differently: no sample is missed, and little more than that is named."""

from dataclasses import replace

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.takes.differing import differing
from cattailer.core.takes.pieces import Piece, Slope
from cattailer.media.piecesound import heard_between

LONG = 400
FILES = {name: np.random.default_rng(n).uniform(-1, 1, (1, 3 * LONG)).astype(np.float32) for n, name in enumerate("ab")}
slope = st.none() | st.builds(Slope, st.integers(-20, LONG), st.integers(1, 60), st.sampled_from(["s-curve", "linear"]), st.none() | st.floats(-1, 1))
piece = st.builds(
    Piece, st.just(1), st.just(1), st.sampled_from("ab"), st.integers(0, 300), st.integers(1, 100), st.integers(0, 200),
    st.just(False), st.sampled_from([1.0, -0.5]), slope, slope,
)
pieces = st.lists(piece, max_size=4)


def heard(of: list[Piece]) -> np.ndarray:
    return heard_between(of, 0, LONG, read=lambda path, at, count: FILES[path][:, at : at + count])[0]


def inside(spans: list[tuple[int, int]]) -> np.ndarray:
    mask = np.zeros(LONG, bool)
    for start, stop in spans:
        mask[start:stop] = True
    return mask


@given(pieces, pieces, pieces)
def test_everything_that_differs_is_named(both: list[Piece], one: list[Piece], other: list[Piece]) -> None:
    before, after = both + one, other + both
    spans = differing(before, after)
    assert all(a < b for a, b in spans)
    assert spans == sorted(spans)
    differs = np.abs(heard(before) - heard(after)) > 1e-6
    assert not differs[~inside(spans)].any()


@given(piece, st.data())
def test_a_cut_changes_nothing(whole: Piece, data: st.DataObject) -> None:
    bare = replace(whole, rise=None, fall=None)
    at = data.draw(st.integers(0, bare.samples))
    first = replace(bare, samples=at)
    rest = replace(bare, start=bare.start + at, samples=bare.samples - at, offset=bare.offset + at)
    assert differing([bare], [p for p in (first, rest) if p.samples]) == []


def test_only_the_stretch_of_a_choice_is_named_and_twice_is_not_once() -> None:
    whole = Piece(1, 1, "a", 0, 300, 0)
    other = Piece(2, 1, "b", 100, 50, 0)
    cut = [replace(whole, samples=100, fall=Slope(90, 20, "linear")), other, Piece(1, 1, "a", 150, 150, 150)]
    assert differing([whole], cut) == [(90, 150)]
    assert differing([whole], [whole, whole]) == [(0, 300)]
    assert differing(cut, list(reversed(cut))) == []

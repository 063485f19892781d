"""Edits of comps: whatever is done, pieces never overlap, and what nobody touched sounds as before."""

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cattailer.core.comps import laying
from cattailer.core.comps.comppiece import CompPiece, Fade, Pieces, pieces_of
from cattailer.core.errors import Refusal

LONG = 400
shapes = st.sampled_from(["linear", "power", "exponential", "s-curve"])
fades = st.builds(Fade, st.integers(0, 30), shapes)
piece = st.builds(
    CompPiece, st.integers(1, 4), st.integers(0, LONG), st.integers(1, 120), st.integers(-50, 300),
    st.sampled_from([0.0, -3.0]), st.booleans(), st.just(Fade()), st.just(Fade()), st.none() | fades,
)
laid = st.lists(piece, max_size=8).map(lambda many: laying.lay((), *many))


def heard(pieces: Pieces) -> dict[int, tuple[int, int, float, bool]]:
    """By position: take, place in it, gain and polarity."""
    out: dict[int, tuple[int, int, float, bool]] = {}
    for p in pieces:
        for n in range(p.samples):
            assert p.start + n not in out, "pieces overlap"
            out[p.start + n] = (p.take, p.offset + n, p.gain_db, p.flipped)
    return out


def in_order(pieces: Pieces) -> bool:
    return all(a.stop <= b.start for a, b in zip(pieces, pieces[1:], strict=False)) and all(p.samples > 0 for p in pieces)


@given(st.lists(piece, max_size=10))
def test_what_is_laid_last_is_heard(many: list[CompPiece]) -> None:
    expected: dict[int, tuple[int, int, float, bool]] = {}
    for p in many:
        expected.update(heard((p,)))
    found = laying.lay((), *many)
    assert in_order(found)
    assert heard(found) == expected


@given(laid, st.integers(0, LONG + 120))
def test_a_split_is_not_heard(pieces: Pieces, at: int) -> None:
    if not any(p.start < at < p.stop for p in pieces):
        with pytest.raises(Refusal):
            laying.split(pieces, at)
        return
    cut = laying.split(pieces, at)
    assert len(cut) == len(pieces) + 1
    assert heard(cut) == heard(pieces)
    assert any(p.start == at for p in cut)
    assert len(laying.joined(cut)) == len(cut), "what somebody split stays split"


@given(laid, st.data())
def test_trims_moves_and_seams_keep_everything_in_order(pieces: Pieces, data: st.DataObject) -> None:
    for _ in range(4):
        if not pieces:
            return
        chosen = data.draw(st.sampled_from(pieces))
        what = data.draw(st.sampled_from(["trim", "move", "seam", "gain", "flip", "fades"]))
        to = data.draw(st.integers(-40, LONG + 60))
        before = heard(pieces)
        try:
            if what == "trim":
                pieces = laying.trim(pieces, chosen.start, chosen.start + to // 8, chosen.stop + to // 6, (-60, 400))
            elif what == "move":
                pieces = laying.move(pieces, chosen.start, to)
            elif what == "seam":
                pieces = laying.move_seam(pieces, chosen.start, to)
            elif what == "gain":
                pieces = laying.with_gain(pieces, chosen.start, to / 10)
            elif what == "flip":
                pieces = laying.flip(pieces, chosen.start)
            else:
                pieces = laying.with_fades(pieces, chosen.start, Fade(abs(to) // 4), Fade(abs(to) // 5))
        except Refusal:
            assert heard(pieces) == before
            continue
        assert in_order(pieces)
        if what == "fades":
            assert heard(pieces) == before
        if what == "seam":
            assert set(heard(pieces)) == set(before), "a seam that moves leaves no hole"
    assert pieces_of([p.to_dict() for p in pieces]) == pieces, "what is kept is what is read"


def test_what_cannot_be_is_refused_in_words() -> None:
    pieces = laying.lay((), CompPiece(1, 10, 100, 0), CompPiece(2, 110, 100, 100))
    with pytest.raises(Refusal, match="longer than the piece"):
        laying.with_fades(pieces, 10, Fade(60), Fade(60))
    with pytest.raises(Refusal, match="before the beginning"):
        laying.move(pieces, 10, -11)
    with pytest.raises(Refusal, match="between the two pieces"):
        laying.move_seam(pieces, 110, 210)
    with pytest.raises(Refusal, match="no sound there"):
        laying.trim(pieces, 10, 5, 110, (0, 100))
    with pytest.raises(Refusal, match="nothing of the piece"):
        laying.trim(pieces, 10, 50, 50, (0, 100))
    with pytest.raises(Refusal, match="dB"):
        laying.with_gain(pieces, 10, 25.0)
    with pytest.raises(Refusal, match="longer than the pieces"):
        laying.with_seam(pieces, 110, Fade(201))
    with pytest.raises(Refusal, match="No two pieces meet"):
        laying.with_seam(pieces, 10, Fade(2))


@settings(max_examples=60)
@given(laid, st.sampled_from([(48_000, 44_100), (48_000, 96_000), (44_100, 48_000)]))
def test_pieces_that_met_still_meet_at_another_rate(pieces: Pieces, rates: tuple[int, int]) -> None:
    far = tuple(replace(p, start=p.start * 997, samples=p.samples * 997, offset=p.offset * 997) for p in pieces)
    there = tuple(p.at_rate(*rates) for p in far)
    assert in_order(there)
    for (a, b), (c, d) in zip(zip(far, far[1:], strict=False), zip(there, there[1:], strict=False), strict=False):
        assert (a.stop == b.start) == (c.stop == d.start)
        assert a.goes_on_in(b) <= c.goes_on_in(d)

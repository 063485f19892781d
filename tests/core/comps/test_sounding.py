"""What comps sound like, against a plain sum of takes and curves."""


import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from cattailer.core.comps.comppiece import CompPiece, Fade, Pieces
from cattailer.core.comps.fades import SHAPES, falling, rising
from cattailer.core.comps.laying import lay
from cattailer.core.comps.sounding import Stretch, TakeSound, crossing, sound_of, usual_seam
from cattailer.core.takes.pieces import Piece
from cattailer.media.piecesound import heard_between

RATE = 8000
LONG, BEFORE, AFTER = 3000, 300, 500
SOUNDS = {t: np.random.default_rng(t).uniform(-0.9, 0.9, BEFORE + LONG + AFTER).astype(np.float32) for t in (1, 2, 3)}
"""By take: what was counted in, the take, and what came after it."""
TAKES = {
    t: TakeSound(t, (
        Stretch(-BEFORE, 0, f"{t}-before", 0), Stretch(0, LONG, f"{t}", 0), Stretch(LONG, LONG + AFTER, f"{t}-after", 0)
    ))
    for t in SOUNDS
}
fades = st.builds(Fade, st.integers(0, 200), st.sampled_from(list(SHAPES)))
piece = st.builds(
    CompPiece, st.integers(1, 3), st.integers(0, 2500), st.integers(30, 900), st.integers(0, 1500),
    st.floats(-12.0, 0.0), st.booleans(), fades, fades, st.none() | fades,
).map(lambda p: p.part(p.start, p.stop))
comps = st.lists(piece, min_size=1, max_size=7).map(lambda many: lay((), *many))


def read(path: str, at: int, count: int) -> NDArray[np.float32]:
    take, _, where = path.partition("-")
    first = {"before": 0, "": BEFORE, "after": BEFORE + LONG}[where]
    return SOUNDS[int(take)][first + at : first + at + count][None, :]


def rendered(pieces: list[Piece], start: int, stop: int, block: int) -> NDArray[np.float32]:
    out = []
    for at in range(start, stop, block):
        out.append(heard_between(pieces, at, min(at + block, stop), 1, read)[0])
    return np.concatenate(out)


def plain_sum(comp: Pieces, length: int) -> NDArray[np.float64]:
    """Sample by sample, as the words of a comp say it, in float64."""
    out = np.zeros(length)
    for number, p in enumerate(comp):
        before = comp[number - 1] if number else None
        after = comp[number + 1] if number + 1 < len(comp) else None
        start, stop, gains = p.start, p.stop, None
        begin = crossing(before, p, TAKES, RATE) if before is not None and before.stop == p.start else (start, start)
        end = crossing(p, after, TAKES, RATE) if after is not None and p.stop == after.start else (stop, stop)
        first, last = min(start, begin[0]), max(stop, end[1])
        gains = np.full(last - first, 10 ** (p.gain_db / 20) * (-1 if p.flipped else 1))
        edge = min(round(0.002 * RATE), p.samples // 2)
        one_sound = before is not None and before.goes_on_in(p)
        if begin[1] > begin[0]:
            gains[: begin[1] - begin[0]] *= rising((p.seam or usual_seam(RATE)).shape, begin[1] - begin[0])
        elif not one_sound:
            fade = p.fade_in if p.fade_in.samples else Fade(edge, "s-curve")
            gains[: fade.samples] *= rising(fade.shape, fade.samples)
        one_sound = after is not None and p.goes_on_in(after)
        if end[1] > end[0] and after is not None:
            gains[len(gains) - (end[1] - end[0]) :] *= falling((after.seam or usual_seam(RATE)).shape, end[1] - end[0])
        elif not one_sound:
            fade = p.fade_out if p.fade_out.samples else Fade(edge, "s-curve")
            if fade.samples:
                gains[len(gains) - fade.samples :] *= falling(fade.shape, fade.samples)
        sound = SOUNDS[p.take][BEFORE - p.moved + first : BEFORE - p.moved + last].astype(np.float64)
        out[first : first + len(sound)] += sound * gains[: len(sound)]
    return out


@settings(max_examples=150, suppress_health_check=[HealthCheck.too_slow], deadline=None)
@given(comps, st.integers(1, 700), st.integers(0, 900))
def test_what_is_heard_is_the_plain_sum_at_any_block_and_start(comp: Pieces, block: int, start: int) -> None:
    length = 4200
    found = rendered(sound_of(7, comp, TAKES, RATE), start, length, block)
    worst = np.abs(found - plain_sum(comp, length)[start:]).max()
    assert worst < 10 ** (-140 / 20), f"{20 * np.log10(worst):.1f} dBFS"


def test_seams_reach_into_what_lies_beside_a_take_and_no_further() -> None:
    one, other = CompPiece(1, 0, LONG, 0), CompPiece(2, LONG, 500, 0, seam=Fade(400, "power"))
    assert crossing(one, other, TAKES, RATE) == (LONG - 200, LONG + 200)
    bare = {t: TakeSound(t, (Stretch(0, LONG, f"{t}", 0),)) for t in SOUNDS}
    assert crossing(one, other, bare, RATE) == (LONG, LONG), "neither take has anything there"
    only_before = {1: bare[1], 2: TAKES[2]}
    assert crossing(one, other, only_before, RATE) == (LONG - 200, LONG)


def test_one_sound_cut_in_two_is_still_one_sound() -> None:
    whole = sound_of(7, (CompPiece(1, 100, 900, 50),), TAKES, RATE)
    cut = sound_of(7, (CompPiece(1, 100, 400, 50), CompPiece(1, 500, 500, 450, seam=Fade())), TAKES, RATE)
    assert np.array_equal(rendered(whole, 0, 1200, 64), rendered(cut, 0, 1200, 333))


@pytest.mark.parametrize("shape", list(SHAPES))
def test_fades_begin_at_nothing_end_at_all_and_mirror(shape: str) -> None:
    up = rising(shape, 1000)
    assert up[0] < 0.01
    assert up[-1] > 0.99
    assert (np.diff(up) >= 0).all()
    assert np.array_equal(falling(shape, 1000), up[::-1])
    assert np.array_equal(rising(shape, 1000, 200, 300), up[200:300])
    assert np.array_equal(falling(shape, 1000, 990, 1010), np.concatenate([up[::-1][990:], np.zeros(10)]))
    both = (up, up[::-1])
    if shape == "power":
        assert np.allclose(both[0] ** 2 + both[1] ** 2, 1.0)
    if shape in ("linear", "s-curve"):
        assert np.allclose(both[0] + both[1], 1.0)

"""What comps sound like, against a plain sum of takes and curves."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from cattailer.core.comps.comppiece import CompPiece, Fade, Pieces
from cattailer.core.comps.crossing import Crossing
from cattailer.core.comps.fades import SHAPES, falling, rising
from cattailer.core.comps.laying import lay, split, with_gain
from cattailer.core.comps.sounding import Stretch, TakeSound, crossing, sound_of
from cattailer.core.takes.pieces import Piece, Slope
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


def curve(shape: str, samples: int, alike: float | None) -> NDArray[np.float64]:
    """What rises over so many samples, by the words of its shape; with what falls meanwhile it keeps one's power."""
    x = (np.arange(samples) + 0.5) / max(1, samples)
    up, down = ({
        "linear": at, "power": np.sin(np.pi * at / 2), "exponential": (np.exp(5 * at) - 1) / (np.exp(5) - 1),
        "s-curve": np.sin(np.pi * at / 2) ** 2,
    }[shape] for at in (x, 1 - x))
    r = 0.0 if alike is None else max(alike, -0.5)
    return up if alike is None else up / np.sqrt(up**2 + down**2 + 2 * r * up * down)


def plain_sum(comp: Pieces, length: int) -> NDArray[np.float64]:
    """Sample by sample, as the words of a comp say it, in float64."""
    out = np.zeros(length)
    for number, p in enumerate(comp):
        before = comp[number - 1] if number and comp[number - 1].stop == p.start else None
        after = comp[number + 1] if number + 1 < len(comp) and comp[number + 1].start == p.stop else None
        begin = crossing(before, p, TAKES, RATE) if before is not None else None
        end = crossing(p, after, TAKES, RATE) if after is not None else None
        heard = max(p.start, p.moved - BEFORE), min(p.stop, p.moved + LONG + AFTER)
        first, last = begin.start if begin else heard[0], end.stop if end else heard[1]
        if first >= last:
            continue
        gains = np.full(last - first, 10 ** (p.gain_db / 20) * (-1 if p.flipped else 1))
        edge = min(round(0.002 * RATE), (heard[1] - heard[0]) // 2)
        if begin:
            gains[: begin.stop - first] *= curve(begin.shape, begin.stop - begin.start, begin.alike)
        elif before is None or not before.goes_on_in(p):
            fade = min(p.start + p.fade_in.samples - first, heard[1] - heard[0])
            set_so = p.fade_in.samples and fade >= edge
            up = curve(p.fade_in.shape, fade, None) if set_so else curve("s-curve", edge, None)
            gains[: len(up)] *= up
        if end:
            gains[end.start - first :] *= curve(end.shape, end.stop - end.start, end.alike)[::-1]
        elif after is None or not p.goes_on_in(after):
            fade = min(last - p.stop + p.fade_out.samples, heard[1] - heard[0])
            set_so = p.fade_out.samples and fade >= edge
            down = (curve(p.fade_out.shape, fade, None) if set_so else curve("s-curve", edge, None))[::-1]
            gains[len(gains) - len(down) :] *= down
        sound = SOUNDS[p.take][BEFORE - p.moved + first : BEFORE - p.moved + last].astype(np.float64)
        out[first:last] += sound * gains
    return out


@settings(max_examples=150, suppress_health_check=[HealthCheck.too_slow], deadline=None)
@given(comps, st.integers(1, 700), st.integers(0, 900))
def test_what_is_heard_is_the_plain_sum_at_any_block_and_start(comp: Pieces, block: int, start: int) -> None:
    length = 4200
    found = rendered(sound_of(7, comp, TAKES, RATE), start, length, block)
    worst = np.abs(found - plain_sum(comp, length)[start:]).max()
    assert worst < 10 ** (-140 / 20), f"{20 * np.log10(worst):.1f} dBFS"


def spans(of: Crossing | None) -> tuple[int, int]:
    assert of is not None
    return of.start, of.stop


def test_seams_reach_into_what_lies_beside_a_take_and_no_further() -> None:
    one, other = CompPiece(1, 0, LONG, 0), CompPiece(2, LONG, 500, 0, seam=Fade(400, "power"))
    assert spans(crossing(one, other, TAKES, RATE)) == (LONG - 200, LONG + 200)
    bare = {t: TakeSound(t, (Stretch(0, LONG, f"{t}", 0),)) for t in SOUNDS}
    assert crossing(one, other, bare, RATE) is None, "neither take has anything there"
    only_before = {1: bare[1], 2: TAKES[2]}
    assert spans(crossing(one, other, only_before, RATE)) == (LONG - 200, LONG)


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
    for alike in (1.0, 0.3, 0.0, -0.4):
        up = rising(shape, 1000, alike=alike)
        down = falling(shape, 1000, alike=alike)
        assert np.allclose(up**2 + down**2 + 2 * alike * up * down, 1.0), "the power of two sides stays that of one"


def test_half_of_a_split_is_changed_by_a_tenth_and_nothing_dips() -> None:
    whole = CompPiece(1, 0, LONG, 0)
    cut = split((whole,), 1500)
    changed = with_gain(cut, 1500, 0.1)
    found = rendered(sound_of(7, changed, TAKES, RATE), 100, LONG - 100, 512)
    plain = SOUNDS[1][BEFORE + 100 : BEFORE + LONG - 100]
    assert (np.abs(found) >= np.abs(plain) * 0.9999).all()
    assert (np.abs(found) <= np.abs(plain) * 1.0117).all()
    zero = (cut[0], replace(cut[1], gain_db=0.1, seam=Fade()))
    found = rendered(sound_of(7, zero, TAKES, RATE), 100, LONG - 100, 512)
    assert (np.abs(found) >= np.abs(plain) * 0.9999).all(), "as splits were kept before"


def test_sound_never_ends_without_a_slope_wherever_it_ends() -> None:
    """A moved take's sound begins after its piece, and ends before it."""
    held = {1: TakeSound(1, (Stretch(0, LONG, "1", 0),))}
    late = CompPiece(1, 100, LONG + 900, -400, fade_out=Fade(300, "linear"))
    (piece,) = sound_of(7, (late,), held, RATE)
    assert (piece.start, piece.samples) == (500, LONG)
    assert piece.rise == Slope(500, 16, "s-curve")
    assert piece.fall is not None
    assert piece.fall.start + piece.fall.samples == 500 + LONG
    one, other = CompPiece(1, 0, LONG + 500, 0), CompPiece(2, LONG + 500, 500, 0)
    assert crossing(one, other, {1: held[1], 2: TAKES[2]}, RATE) is None, "there is nothing to cross with"


def test_seams_of_a_short_piece_never_sum_above_one() -> None:
    one = (CompPiece(1, 0, 1000, 0), CompPiece(1, 1000, 20, 1000, 0.01), CompPiece(1, 1020, 1000, 1020))
    found = rendered(sound_of(7, one, TAKES, RATE), 0, 2020, 512)
    plain = SOUNDS[1][BEFORE : BEFORE + 2020]
    assert np.abs(np.abs(found[50:1900]) - np.abs(plain[50:1900])).max() < 0.0012 * 0.9


def test_layers_sound_together() -> None:
    comp = (CompPiece(1, 0, LONG, 0), CompPiece(2, 500, 1000, 0, layer=1))
    found = rendered(sound_of(7, comp, TAKES, RATE), 600, 1400, 512)
    assert np.abs(found - SOUNDS[1][BEFORE + 600 : BEFORE + 1400] - SOUNDS[2][BEFORE + 100 : BEFORE + 900]).max() < 1e-6

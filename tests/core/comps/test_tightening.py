"""Notes moved to the grid."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.comps.comppiece import CompPiece
from cattailer.core.comps.sounding import Stretch, TakeSound, sound_of
from cattailer.core.comps.tightening import drift, tightened, to_grid
from cattailer.core.errors import Refusal
from cattailer.core.sound.onsets import onsets
from cattailer.core.time.timeline import Meter, Tempo, TempoMap
from cattailer.media.piecesound import heard_between

RATE = 48_000
TEMPO = TempoMap(RATE, (Tempo(Fraction(0), Fraction(120)),), (Meter(1, 4, 4),))


def struck(times: list[int], length: int) -> np.ndarray:
    rng = np.random.default_rng(5)
    out = 0.0005 * rng.standard_normal(length)
    for at in times:
        t = np.arange(min(RATE // 2, length - at)) / RATE
        out[at : at + len(t)] += 0.5 * np.exp(-t * 14) * (np.sin(2 * np.pi * 150 * t) + 0.4 * rng.standard_normal(len(t)) * np.exp(-t * 80))
    return out.astype(np.float32)


def test_after_tightening_the_notes_that_are_found_again_lie_on_the_grid() -> None:
    rng = np.random.default_rng(1)
    late = rng.normal(0.004, 0.014, 40)
    times = [int((1 + n * 0.5 + d) * RATE) for n, d in enumerate(late)]
    length = times[-1] + RATE
    sound = struck(times, length)
    takes = {1: TakeSound(1, (Stretch(0, length, "take", 0),))}
    comp = (CompPiece(1, 0, length, 0),)

    def read(path: str, at: int, count: int) -> np.ndarray:
        return sound[None, at : at + count]

    found = [int(n) for n in onsets(sound, RATE)]
    before = drift(found, TEMPO, 1)
    tight, moved = tightened(comp, found, TEMPO, 1, 1.0)
    heard = heard_between(sound_of(1, tight, takes, RATE), 0, length, 1, read)[0]
    again = onsets(heard, RATE)
    assert len(again) == len(times), "no note is lost or heard twice"
    off = [abs(int(n) - to_grid(int(n), TEMPO, 1)) / RATE * 1000 for n in again]
    assert np.median(off) <= 2.0
    assert before.scatter_ms > 10.0
    assert drift(moved, TEMPO, 1).scatter_ms == 0.0
    half, _ = tightened(comp, found, TEMPO, 1, 0.5)
    assert drift(tightened(comp, found, TEMPO, 1, 0.5)[1], TEMPO, 1).scatter_ms == pytest.approx(before.scatter_ms / 2, abs=0.2)
    assert tightened(comp, found, TEMPO, 1, 0.0)[0] == comp, "not at all is not at all"
    assert len(half) > 1


@given(
    st.lists(st.integers(0, 400_000), max_size=12, unique=True), st.floats(0, 1), st.sampled_from([1, 2, 3, 4, 6]),
    st.lists(st.integers(1, 150_000), min_size=1, max_size=3),
)
def test_pieces_stay_in_order_and_leave_no_hole(notes: list[int], strength: float, division: int, lengths: list[int]) -> None:
    start, comp = 1000, []
    for n, length in enumerate(lengths):
        comp.append(CompPiece(n % 2 + 1, start, length, 5000))
        start += length
    tight, _ = tightened(tuple(comp), notes, TEMPO, division, strength)
    assert tight[0].start == 1000
    assert tight[-1].stop == start
    assert all(a.stop == b.start for a, b in zip(tight, tight[1:], strict=False))


def test_a_grid_that_does_not_exist_is_refused() -> None:
    for division, strength in ((5, 1.0), (1, 1.5)):
        with pytest.raises(Refusal, match="Nothing was moved"):
            tightened((), [], TEMPO, division, strength)

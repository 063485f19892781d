"""Which take is heard where."""

from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.takes.pieces import TakeSpan, topmost


@given(st.lists(st.tuples(st.integers(0, 60), st.integers(1, 30)), max_size=6))
def test_the_topmost_take_is_heard_at_every_sample(takes: list[tuple[int, int]]) -> None:
    spans = [TakeSpan(n, 1, f"{n}.wav", start, length, n) for n, (start, length) in enumerate(takes)]
    placed = topmost(spans)
    heard: dict[int, tuple[int, int]] = {}
    for piece in placed:
        for i in range(piece.samples):
            assert piece.start + i not in heard
            heard[piece.start + i] = (piece.take, piece.offset + i)
    for sample in range(100):
        over = [s for s in spans if s.start <= sample < s.start + s.samples]
        expected = (over[-1].take, sample - over[-1].start) if over else None
        assert heard.get(sample) == expected

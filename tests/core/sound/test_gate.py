import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.sound.gate import BEGINS, ENDS, Edge, Gate


def by_hand(loud: list[int], before: int, gap: int, tail: int, samples: int) -> list[Edge]:
    """The same, sample by sample."""
    out: list[Edge] = []
    last, ended = None, 0
    for at in range(samples):
        if at in loud:
            if last is None:
                out.append(Edge(BEGINS, max(at - before, ended)))
            last = at
        elif last is not None and at - last >= gap:
            ended, last = last + 1 + tail, None
            out.append(Edge(ENDS, ended))
    return out


@given(
    st.sets(st.integers(0, 299)), st.integers(0, 40), st.integers(1, 60), st.integers(0, 60), st.lists(st.integers(1, 90))
)
def test_it_finds_the_same_in_whatever_blocks_it_comes(
    loud: set[int], before: int, gap: int, tail: int, blocks: list[int]
) -> None:
    tail = min(tail, gap)
    sound = np.zeros((2, 300), np.float32)
    sound[0, [n for n in loud if n % 2]] = 0.5
    sound[1, [n for n in loud if n % 2 == 0]] = -0.5
    gate, at, found = Gate(0.5, before, gap, tail), 0, []
    for count in [*blocks, *[7] * 50]:
        found += gate.feed(sound[:, at : at + count], at)
        at = min(300, at + count)
        if at == 300:
            break
    assert found == by_hand(sorted(loud), before, gap, tail, 300)
    assert gate.open == (len(found) % 2 == 1)


def test_what_is_softer_is_no_sound() -> None:
    gate = Gate(0.5, 10, 10, 5)
    assert gate.feed(np.full((1, 100), 0.499, np.float32), 0) == []
    assert gate.feed(np.full((1, 1), -0.5, np.float32), 100) == [Edge(BEGINS, 90)]
    assert gate.kept_until == 106

"""The line check: where sound rose, and what follows."""

import numpy as np

from cattailer.core.patch.linecheck import RiseFinder, Stop, Walk, loudest


def hear(ears: RiseFinder, *frames: dict[int, float]) -> np.ndarray | None:
    """Levels by socket over a floor of -80; returns the first answer."""
    for frame in frames:
        levels = np.full(8, -80.0)
        for socket, level in frame.items():
            levels[socket - 1] = level
        answer = ears.hear(levels)
        if answer is not None:
            return answer
    return None


QUIET, KNOCK = [{}] * 5, [{3: -20.0, 4: -44.0}] * 6
CELLO = Walk((Stop(3, "Cello"), Stop(5, "Pickup"), Stop(6, "Drum")))


def test_sound_that_rises_is_heard_where_it_rose_most() -> None:
    rises = hear(RiseFinder(), *QUIET, *KNOCK)
    assert rises is not None
    assert loudest(rises) == 3
    assert hear(RiseFinder(), *([{3: -20.0}] * 20)) is None, "what sounds all the time is no answer"
    assert hear(RiseFinder(), *QUIET, *([{3: -70.0}] * 9)) is None, "too soft"
    assert hear(RiseFinder(), {2: float("nan")}, *QUIET, *KNOCK) is not None


def test_the_walk_ticks_finds_swaps_and_ends() -> None:
    heard = hear(RiseFinder(), *QUIET, *KNOCK)
    assert heard is not None
    walk = CELLO.hear(heard)
    assert (walk.asked, walk.done) == (Stop(5, "Pickup"), {3})
    elsewhere = hear(RiseFinder(), *QUIET, *([{6: -20.0}] * 6))
    assert elsewhere is not None
    walk = walk.hear(elsewhere)
    names = {3: "Cello", 5: "Pickup", 6: "Drum"}
    assert walk.words(names, frozenset(), frozenset()) == "Heard at 6: swapped with Drum?"
    assert walk.hear(np.zeros(8)) == walk
    walk = walk.skip().tick().tick() if walk.skip().asked else walk
    assert walk.over
    assert "1 of 3" not in walk.words(names, frozenset(), frozenset())
    condenser = CELLO.words(names, frozenset({3}), frozenset({3}))
    assert condenser.endswith("It is a condenser without 48 V and stays silent.")
    assert "(5, 6)" in CELLO.words(names, frozenset({5, 6}), frozenset({3}), quiet=True)

"""How long blocks take: what is usual, and the load."""

import pytest

from cattailer.engine.block.blocktimes import KEPT, BlockTimes


def test_a_block_that_was_held_up_makes_no_effect_too_slow() -> None:
    times = BlockTimes(1024, 48_000)
    assert (times.usual_us(), times.recent_load()) == (0.0, 0.0)
    for n in range(KEPT + 30):
        times.add(0.4 if n % 20 == 0 else 0.001)
    assert times.usual_us() == pytest.approx(1000.0), "half a second is 23 blocks, of which one or two were held up"
    assert times.recent_load() > 0.8
    assert len(times.kept()) == KEPT

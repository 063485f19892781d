"""The buffer ladder and the latency budget."""

import numpy as np
import pytest

from cattailer.core.gear import ladder
from cattailer.core.gear.ladder import Load

RATE = 48000
def test_chances_fall_with_room_and_are_said_in_words() -> None:
    rng = np.random.default_rng(1)
    times = tuple((100 + rng.pareto(3.0, 2000) * 60).tolist())
    chances = [Load(p, times).dropouts_per_hour(RATE) for p in (32, 128, 512)]
    assert chances[0] > chances[1] > chances[2] > 0
    assert Load(32, (900.0,) * 300).dropouts_per_hour(RATE) == pytest.approx(3.6e9 / (32e6 / RATE))
    words = [ladder.chance_in_words(v) for v in (None, 0.001, 0.1, 5.2, 600.0)]
    assert words == ["not measured", "hardly ever", "one in 10 h", "5 an hour", "10 a minute"]

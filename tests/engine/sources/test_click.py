"""The click."""

import numpy as np
import pytest

from cattailer.core.time.clicking import ClickSettings
from cattailer.core.time.timeline import TempoMap
from cattailer.engine.sources.click import Click
from cattailer.services.session import demo


def ready(tempo: TempoMap) -> Click:
    click = Click(tempo, ClickSettings(level_db=-6.0))
    click.pump([0])
    return click


def test_a_click_is_the_same_in_blocks_of_any_size() -> None:
    tempo = demo.tempo()
    whole = np.zeros((2, 48_000), np.float32)
    ready(tempo).add(whole, 0)
    parts = np.zeros((2, 48_000), np.float32)
    click, at = ready(tempo), 0
    for size in (1, 37, 512, 9000, 20_000, 18_450):
        click.add(parts[:, at : at + size], at)
        at += size
    assert np.array_equal(whole, parts)
    assert whole[0, 0] == pytest.approx(10 ** (-6 / 20))

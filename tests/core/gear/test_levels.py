"""The gain structure by hand."""

import math

import pytest

from cattailer.core.gear import levels
from cattailer.core.gear.levels import closeness_db, loading_corner_hz, loading_loss_db


def test_loading_and_closeness_by_the_sum() -> None:
    assert loading_loss_db(10_000, 10_000) == pytest.approx(6.02, abs=0.01)
    assert loading_loss_db(150, 2_400) == pytest.approx(0.53, abs=0.01)
    assert loading_corner_hz(3.0, 8_000, 1_000_000) > 50_000
    assert closeness_db(3.0, 100.0) < 0.1 < closeness_db(0.1, 100.0)
    assert closeness_db(0.1, 1000.0) < 0.35


def test_gain_structure_by_hand() -> None:
    # 94 dB SPL at 1 m is 100 dB at 0.5 m: 2 Pa, times 12 mV/Pa is 24 mV, which is -30.2 dBu.
    spl = levels.spl_at(0.5, 94.0)
    assert spl == pytest.approx(100.02, abs=0.01)
    dbu = levels.microphone_dbu(spl, 12.0)
    assert dbu == pytest.approx(20 * math.log10(0.02405 / 0.7746), abs=0.05)
    assert levels.dbfs(dbu, 30.0, 18.0) == pytest.approx(dbu + 12.0)
    # Much gain: the microphone's own noise decides; none: the converter does.
    assert levels.noise_dbfs(15, 12.0, -128, 60, 18, -116) == pytest.approx(levels.microphone_dbu(15, 12.0) + 42, abs=0.7)
    assert levels.noise_dbfs(15, 12.0, -128, 0, 18, -116) == pytest.approx(-116, abs=0.5)

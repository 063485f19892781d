"""The gain structure by hand."""

import math

import pytest

from cattailer.core.gear import levels


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

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.sound.meters import FALL_DB_PER_S, BlockMeter, MeterFace, full_scale

RATE = 48000


def counted(values: list[float], cuts: list[int]) -> int:
    meter = BlockMeter(1, 24)
    block = np.array([values], np.float32)
    edges = sorted({0, len(values), *(c for c in cuts if 0 < c < len(values))})
    for a, b in zip(edges, edges[1:], strict=False):
        meter.add(block[:, a:b])
    return int(meter.clips[0])


@given(st.lists(st.sampled_from([0.0, 0.5, 1.0, -1.0]), min_size=1, max_size=60), st.lists(st.integers(1, 59)))
def test_clips_are_runs_of_three_however_the_blocks_fall(values: list[float], cuts: list[int]) -> None:
    runs, length = 0, 0
    for value in values:
        length = length + 1 if abs(value) >= full_scale(24) else 0
        runs += length == 3
    assert counted(values, cuts) == runs


@given(st.integers(0, 2**31), st.lists(st.integers(1, 500), min_size=1, max_size=5))
def test_peaks_and_squares_do_not_depend_on_blocks(seed: int, sizes: list[int]) -> None:
    sound = np.random.default_rng(seed).uniform(-0.9, 0.9, (3, sum(sizes))).astype(np.float32)
    meter = BlockMeter(3)
    at = 0
    for size in sizes:
        meter.add(sound[:, at : at + size])
        at += size
    got = meter.take()
    assert np.array_equal(got.peak, np.abs(sound).max(axis=1))
    assert got.squares == pytest.approx((sound.astype(np.float64) ** 2).sum(axis=1), rel=1e-4)
    assert got.samples == sum(sizes)
    assert meter.take().samples == 0


def test_a_full_scale_sine_reads_0_peak_and_minus_3_rms() -> None:
    t = np.arange(RATE * 3) / RATE
    meter, face = BlockMeter(1), MeterFace(1, RATE)
    for part in np.array_split(np.sin(2 * np.pi * 997 * t).astype(np.float32)[np.newaxis], 90, axis=1):
        meter.add(part)
        reading = face.show(meter.take())
    assert reading.peak_dbfs[0] == pytest.approx(0.0, abs=0.01)
    assert reading.rms_dbfs[0] == pytest.approx(-3.01, abs=0.05)


def test_the_peak_falls_20_db_in_1_7_s_and_the_hold_waits() -> None:
    meter, face = BlockMeter(1), MeterFace(1, RATE)
    meter.add(np.ones((1, 480), np.float32) * 0.5)
    start = face.show(meter.take())
    meter.add(np.zeros((1, int(1.7 * RATE)), np.float32))
    after = face.show(meter.take())
    assert start.peak_dbfs[0] - after.peak_dbfs[0] == pytest.approx(20.0, abs=0.01)
    assert after.hold_dbfs[0] == start.hold_dbfs[0]
    meter.add(np.zeros((1, RATE), np.float32))
    late = face.show(meter.take())
    assert late.hold_dbfs[0] == pytest.approx(start.peak_dbfs[0] - 2.7 * FALL_DB_PER_S, abs=0.05)
    assert late.max_dbfs[0] == start.peak_dbfs[0]

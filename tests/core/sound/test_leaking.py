"""A click that leaks is found in what was captured; a player in time with it is not taken for it."""

import numpy as np
import pytest

from cattailer.core.sound.leaking import click_dbfs
from cattailer.core.sound.ticks import ticks_of
from cattailer.core.time.clicking import ClickSettings
from cattailer.core.time.timeline import TempoMap

RATE = 48_000
SETTINGS = ClickSettings()
TICKS = [(t.sample, t.kind) for t in SETTINGS.ticks(TempoMap(RATE), 0, 30 * RATE)]
WAVES = ticks_of(SETTINGS, RATE)


def noise(dbfs: float, seed: int = 1) -> np.ndarray:
    return (10 ** (dbfs / 20) * np.random.default_rng(seed).standard_normal(30 * RATE)).astype(np.float32)


def with_click(sound: np.ndarray, peak_dbfs: float, late: int) -> np.ndarray:
    out, loudest = sound.copy(), max(float(np.abs(w).max()) for w in WAVES)
    for at, kind in TICKS:
        wave = WAVES[kind] * np.float32(10 ** (peak_dbfs / 20) / loudest)
        a = at + late
        stop = min(len(out), a + len(wave))
        out[a:stop] += wave[: stop - a]
    return out


@pytest.mark.parametrize(("peak_dbfs", "floor_dbfs"), [(-40.0, -70.0), (-60.0, -75.0), (-68.0, -70.0)])
@pytest.mark.parametrize("late", [0, 60, 900])
def test_a_leaking_click_is_found_and_its_level(peak_dbfs: float, floor_dbfs: float, late: int) -> None:
    found = click_dbfs(with_click(noise(floor_dbfs), peak_dbfs, late), TICKS, WAVES, RATE)
    assert found == pytest.approx(peak_dbfs, abs=1.5)


def test_it_is_found_between_what_is_played() -> None:
    sound = with_click(noise(-75.0), -55.0, 100)
    sound[5 * RATE : 12 * RATE] += noise(-25.0, 2)[: 7 * RATE]
    assert click_dbfs(sound, TICKS, WAVES, RATE) == pytest.approx(-55.0, abs=1.5)


def test_what_is_played_in_time_is_not_a_click() -> None:
    rng, sound = np.random.default_rng(4), noise(-75.0)
    t = np.arange(RATE // 3) / RATE
    for at, _ in TICKS[::2]:  # a good drummer, 3 ms off the beat now and then
        a = max(0, at + int(rng.normal(0, 0.003) * RATE))
        hit = (np.exp(-t / 0.08) * np.sin(2 * np.pi * rng.normal(190, 4) * t + rng.uniform(0, 6))).astype(np.float32)
        hit += (np.exp(-t / 0.004) * rng.standard_normal(len(t))).astype(np.float32)
        stop = min(len(sound), a + len(hit))
        sound[a:stop] += 0.2 * hit[: stop - a]
    assert click_dbfs(sound, TICKS, WAVES, RATE) is None
    for seed in range(8):
        assert click_dbfs(noise(-60.0, seed), TICKS, WAVES, RATE) is None
    assert click_dbfs(np.zeros(30 * RATE, np.float32), TICKS, WAVES, RATE) is None
    assert click_dbfs(sound[: 2 * RATE], TICKS, WAVES, RATE) is None, "too short to say"
    assert click_dbfs(sound, [], WAVES, RATE) is None

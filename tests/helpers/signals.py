"""Test signals, and rows that were listened to as the web process does it: a quarter of a second at a time."""

import numpy as np

from cattailer.core.sound.rowsound import RowListener, RowSound

RATE = 48000


def noise_of(seconds: float, rms_dbfs: float, seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).standard_normal(round(seconds * RATE)) * 10 ** (rms_dbfs / 20)


def sine(hz: float, dbfs: float, seconds: float = 4.0) -> np.ndarray:
    return 10 ** (dbfs / 20) * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)


def heard(*signals: np.ndarray) -> list[RowSound]:
    listener = RowListener(len(signals), RATE)
    sound = np.stack(signals).astype(np.float32)
    for at in range(0, sound.shape[1], 12_000):
        listener.add(sound[:, at : at + 12_000])
    return listener.sounds()

"""The noise floor: how loud it is in the gaps, told from how often each level comes."""

import numpy as np
from numpy.typing import NDArray

WINDOW_S = 0.05
GAPS = 0.10
"""The floor is the level that the quietest tenth of all windows stays below."""

_LOWEST_DBFS = -160.0
_PER_DB = 10
_BINS = int(-_LOWEST_DBFS * _PER_DB) + 60


class LevelSpread:
    """Counts the RMS levels of windows of 50 ms, all channels at once. Blocks may have any length."""

    def __init__(self, channels: int, rate_hz: int) -> None:
        self._window = max(1, round(rate_hz * WINDOW_S))
        self._counts = np.zeros((channels, _BINS), np.int64)
        self._silent = np.zeros(channels, np.int64)
        self._left = np.zeros((channels, 0), np.float32)
        self._rows = np.arange(channels)[:, None]

    def add(self, block: NDArray[np.float32]) -> None:
        """Takes a block, shape (channels, samples); must be finite."""
        joined = np.concatenate([self._left, block], axis=1) if self._left.shape[1] else block
        windows = joined.shape[1] // self._window
        whole = windows * self._window
        self._left = joined[:, whole:].copy()
        if not windows:
            return
        cut = joined[:, :whole].reshape(len(joined), windows, self._window)
        # A microphone's floor is not its offset.
        power = np.vecdot(cut, cut).astype(np.float64) / self._window - np.square(cut.mean(axis=2, dtype=np.float64))
        dbfs = 10.0 * np.log10(np.maximum(power, 1e-30))
        silent = dbfs < _LOWEST_DBFS
        at = np.clip((dbfs - _LOWEST_DBFS) * _PER_DB, 0, _BINS - 1).astype(int)
        np.add.at(self._counts, (np.broadcast_to(self._rows, at.shape)[~silent], at[~silent]), 1)
        self._silent += silent.sum(axis=1)

    def floor_dbfs(self) -> NDArray[np.float64]:
        """Per channel; -inf where there are no whole windows, or where the gaps are digital silence."""
        return self.level_dbfs(GAPS)

    def level_dbfs(self, share: float) -> NDArray[np.float64]:
        """The level that ``share`` of all windows stays below, shape (channels,)."""
        reached = np.cumsum(self._counts, axis=1) + self._silent[:, None]
        total = reached[:, -1]
        at = (reached < np.maximum(1.0, share * total)[:, None]).sum(axis=1)
        out = _LOWEST_DBFS + (at + 0.5) / _PER_DB
        mute = (total == 0) | (self._silent >= np.maximum(1.0, share * total))
        return np.where(mute, -np.inf, out)

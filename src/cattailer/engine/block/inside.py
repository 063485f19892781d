"""What is made inside the engine and not at a socket: takes, the pattern player, and groups that feed tracks."""

import numpy as np
from numpy.typing import NDArray

from cattailer.core.plan import SOFTWARE_CHANNELS
from cattailer.core.transport import COUNTING, STOPPED
from cattailer.engine.block.prepared import Prepared

Floats = NDArray[np.float32]


class Inside:
    """Belongs to the block path. ``rows`` is how many the input ring has."""

    def __init__(self, rows: int, period: int) -> None:
        self._table = np.zeros((rows, period), np.float32)
        self._software = np.zeros((SOFTWARE_CHANNELS, period), np.float32)

    def made(self, prepared: Prepared, state: str, stretches: list[tuple[int, int, int]]) -> Floats | None:
        """What takes and the pattern player add to mixes and feeders, or None where nothing sounds."""
        if state in (STOPPED, COUNTING):
            self._software[:] = 0.0
            return None
        gains = prepared.sums[state]
        out: Floats | None = None
        if prepared.patterns is not None:
            for done, at, length in stretches:
                prepared.patterns.block(at, self._software[:, done : done + length])
            out = gains.software @ self._software
        if not prepared.playback.silent:
            taken = prepared.playback.stretches(stretches)
            if taken is not None:
                out = gains.takes @ taken if out is None else out + gains.takes @ taken
        return out

    def words(
        self, prepared: Prepared, inputs: Floats, feeders: Floats, made: Floats | None, round_trip_samples: int
    ) -> Floats:
        """Inputs, software sources and feeders as they go into the ring, so that all can be captured.

        Inputs arrive one round trip late. What is made in here does not, so it waits that long: then one ring sample is
        one timeline position for every row.
        """
        count = inputs.shape[1]
        fresh = self._table[: prepared.keeps]
        fresh[:SOFTWARE_CHANNELS] = self._software
        fresh[SOFTWARE_CHANNELS:] = 0.0 if made is None else made[prepared.mixes :]
        prepared.inside.write(fresh)
        late = prepared.inside.written - round_trip_samples
        waited = prepared.inside.read(late - count, late, slice(0, prepared.keeps))
        words = self._table[: len(inputs) + prepared.keeps]
        words[len(inputs) :] = 0.0 if waited is None else waited
        words[: len(inputs)] = inputs
        words[len(inputs) + SOFTWARE_CHANNELS :] += feeders
        return words

"""What is made inside the engine and not at a socket, on its way to the input ring."""

import numpy as np
from numpy.typing import NDArray

from cattailer.core.plan import SOFTWARE_CHANNELS
from cattailer.engine.block.prepared import Prepared

Floats = NDArray[np.float32]


class Inside:
    """Belongs to the block path. ``rows`` is how many the input ring has."""

    def __init__(self, rows: int, period: int) -> None:
        self._table = np.zeros((rows, period), np.float32)

    def words(
        self, prepared: Prepared, inputs: Floats, software: Floats, feeders: Floats, late_samples: int
    ) -> Floats:
        """Inputs, software sources and feeders as they go into the ring, so that all can be captured. ``feeders`` are
        rows of the mixes: first what came in live, then what was made inside.

        Inputs arrive one round trip late. What is made in here does not, so it waits that long: then one ring sample is
        one timeline position for every row.
        """
        count, live = inputs.shape[1], prepared.feeders
        fresh = self._table[: prepared.keeps, :count]
        fresh[:SOFTWARE_CHANNELS] = software
        fresh[SOFTWARE_CHANNELS:] = feeders[live:]
        prepared.inside.write(fresh)
        late = prepared.inside.written - late_samples
        waited = prepared.inside.read(late - count, late, slice(0, prepared.keeps))
        words = self._table[: len(inputs) + prepared.keeps, :count]
        words[len(inputs) :] = 0.0 if waited is None else waited
        words[: len(inputs)] = inputs
        words[len(inputs) + SOFTWARE_CHANNELS :] += feeders[:live]
        return words

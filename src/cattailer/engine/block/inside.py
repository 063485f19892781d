"""What is made inside the engine and not at a socket: takes, the pattern player, and groups that feed tracks."""

import numpy as np
from numpy.typing import NDArray

from cattailer.core.plan import SOFTWARE_CHANNELS
from cattailer.core.sound.curves import rising
from cattailer.core.transport import COUNTING, ROLLING, STOPPED
from cattailer.engine.block.gliding import EDGE_S
from cattailer.engine.block.prepared import Prepared

Floats = NDArray[np.float32]
Stretches = list[tuple[int, int, int]]


class Inside:
    """Belongs to the block path. ``rows`` is how many the input ring has."""

    def __init__(self, rows: int, period: int, rate_hz: int) -> None:
        self._table = np.zeros((rows, period), np.float32)
        self._software = np.zeros((SOFTWARE_CHANNELS, period), np.float32)
        self._edge = np.append(rising(round(EDGE_S * rate_hz)), np.float32(1.0))
        self._since_wrap = self._reached = 1 << 30

    def made(self, prepared: Prepared, state: str, stretches: Stretches, loop: tuple[int, int] | None) -> Floats | None:
        """What takes and the pattern player add to mixes and feeders, or None where nothing sounds."""
        if state in (STOPPED, COUNTING):
            self._software[:] = 0.0
            return None
        gains = prepared.sums[state]
        out: Floats | None = None
        if prepared.patterns is not None:
            for done, at, length in stretches:
                prepared.patterns.block(at, self._software[:, done : done + length])
            count = stretches[-1][0] + stretches[-1][2]
            out = gains.software @ self._software[:, :count]
        if not prepared.playback.silent:
            taken = prepared.playback.stretches(stretches)
            if taken is not None:
                out = gains.takes @ taken if out is None else out + gains.takes @ taken
        if out is not None and loop is not None and state == ROLLING:
            self._round(out, stretches, loop)
        return out

    def _round(self, out: Floats, stretches: Stretches, loop: tuple[int, int]) -> None:
        """Where a loop's end meets its beginning, what sounds goes and comes within a few ms."""
        edge = self._edge
        for done, at, length in stretches:
            part = out[:, done : done + length]
            if at == loop[0] and self._reached == loop[1]:
                self._since_wrap = 0
            if at < loop[1] < at + length + len(edge):
                part *= edge[np.clip(loop[1] - 1 - np.arange(at, at + length), 0, len(edge) - 1)]
            if self._since_wrap < len(edge):
                part *= edge[np.clip(self._since_wrap + np.arange(length), 0, len(edge) - 1)]
            self._since_wrap += length
            self._reached = at + length

    def words(
        self, prepared: Prepared, inputs: Floats, feeders: Floats, made: Floats | None, round_trip_samples: int
    ) -> Floats:
        """Inputs, software sources and feeders as they go into the ring, so that all can be captured.

        Inputs arrive one round trip late. What is made in here does not, so it waits that long: then one ring sample is
        one timeline position for every row.
        """
        count = inputs.shape[1]
        fresh = self._table[: prepared.keeps, :count]
        fresh[:SOFTWARE_CHANNELS] = self._software[:, :count]
        fresh[SOFTWARE_CHANNELS:] = 0.0 if made is None else made[prepared.mixes :]
        prepared.inside.write(fresh)
        late = prepared.inside.written - round_trip_samples
        waited = prepared.inside.read(late - count, late, slice(0, prepared.keeps))
        words = self._table[: len(inputs) + prepared.keeps, :count]
        words[len(inputs) :] = 0.0 if waited is None else waited
        words[: len(inputs)] = inputs
        words[len(inputs) + SOFTWARE_CHANNELS :] += feeders
        return words

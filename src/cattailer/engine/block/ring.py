"""Rings that one thread writes and others read, without locks.

The writer moves ``written`` only after the samples are in place. A reader copies first and then
checks that the writer has not come round meanwhile.
"""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
LOOK_BACK_S = 30.0
"""So much of every input can be kept after the fact."""
RING_S = LOOK_BACK_S + 20.0
"""What is held of inputs: that, and as long as a disk may take to come round."""
MIX_RING_S = 4.0


class Ring:
    """The last ``size`` samples of all channels; positions count every sample ever written."""

    def __init__(self, channels: int, size: int) -> None:
        self.size = size
        # No power of two between rows: they must not fall on the same cache lines.
        self._table = np.zeros((channels, size + 464), np.float32)[:, :size]
        self.written = 0
        self._touched = 0

    @property
    def bytes(self) -> int:
        """The memory that it takes."""
        return self._table.nbytes

    def make_room(self, ahead: int) -> None:
        """Off the writing thread: has the system provide the memory that the next ``ahead`` samples will need, before
        the ring has come round once; to wait for that in the block path would take several ms."""
        stop = min(self.size, self.written + ahead)
        if self._touched < stop:
            start, self._touched = max(self._touched, min(self.size, self.written + ahead // 4)), stop
            self._table[:, start:stop] = 0.0

    def write(self, block: Floats) -> None:
        """Appends ``block``, shape (channels, samples), at most ``size`` long.

        It may have fewer channels than the ring; the rows below it are left as they are.
        """
        rows, count = block.shape
        at = self.written % self.size
        if at + count <= self.size:
            self._table[:rows, at : at + count] = block
        else:
            first = self.size - at
            self._table[:rows, at:] = block[:, :first]
            self._table[:rows, : count - first] = block[:, first:]
        self.written += count

    def write_silence(self, count: int) -> None:
        """Appends silence; of a long stretch only the end is kept, as with sound."""
        left = min(count, self.size)
        self.written += count - left
        while left:
            at = self.written % self.size
            part = min(left, self.size - at)
            self._table[:, at : at + part] = 0.0
            self.written += part
            left -= part

    def read(self, start: int, stop: int, rows: NDArray[np.intp] | slice = slice(None)) -> Floats | None:
        """A copy of [start, stop) of some rows, or None when it has been overwritten already."""
        at, end = start % self.size, (stop - 1) % self.size + 1
        if stop - start > self.size:
            return None
        if at < end:
            out = self._table[rows, at:end].copy()
        else:
            out = np.concatenate([self._table[rows, at:], self._table[rows, :end]], axis=1)
        return out if self.oldest <= start else None

    @property
    def oldest(self) -> int:
        """The oldest sample that is safe to read while the writer goes on."""
        return self.written - self.size + 8192 if self.written > self.size - 8192 else 0

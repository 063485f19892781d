"""What comes out of the stand-in's output sockets: what the engine plays, and what is led there inside the interface.

Time is that of the input sockets: a sound that arrives at a socket at a sample is heard at an output as many samples
later as its way is long, on the Direct path by the converters, through the engine by the whole round trip.
"""

import numpy as np
from numpy.typing import NDArray

from cattailer.core.sound.curves import along, gliding

Floats = NDArray[np.float32]


class Ears:
    """``direct_samples`` and ``through_samples`` are how late the two ways are."""

    def __init__(self, inputs: int, outputs: int, rate_hz: int, direct_samples: int) -> None:
        self._curve = gliding(rate_hz)
        self._now = np.zeros((outputs, inputs), np.float32)
        self._before, self._done = self._now, len(self._curve)
        self._waiting = np.zeros((outputs, direct_samples), np.float32)
        self._played = np.zeros((outputs, 0), np.float32)

    def set_direct(self, gains: Floats) -> None:
        """From the next block on; glides from where it is."""
        if self._done < len(self._curve):
            weight = along(self._curve, self._done, 1)[0]
            self._before = self._before + weight * (self._now - self._before)
        else:
            self._before = self._now
        self._now, self._done = gains, 0

    def inside(self, inputs: Floats) -> Floats:
        """What comes out by the Direct path in a block: (outputs, samples)."""
        count = inputs.shape[1]
        led = self._now @ inputs
        if self._done < len(self._curve):
            led += (1.0 - along(self._curve, self._done, count)) * ((self._before - self._now) @ inputs)
            self._done += count
        line = np.concatenate([self._waiting, led], axis=1)
        out, self._waiting = line[:, :count], line[:, count:]
        return out

    def sounds(self, inputs: Floats, outputs: Floats, through_samples: int) -> Floats:
        """All that comes out in a block; ``outputs`` is what the engine just gave."""
        count = inputs.shape[1]
        missing = through_samples - self._played.shape[1]
        if missing > 0:  # nothing was played before
            self._played = np.concatenate([np.zeros((len(outputs), missing), np.float32), self._played], axis=1)
        line = np.concatenate([self._played[:, -through_samples:], outputs], axis=1)
        self._played = line[:, -through_samples:]
        return line[:, :count] + self.inside(inputs)

"""What leaks from the headphones that players wear into the microphones near them.

A headphone at full scale gives about 110 dB SPL inside; of that a closed one lets little out, and of the bass nothing,
so that what a microphone hears of it is thin: the click above all. At a metre it is taken to be ``LEAK_SPL`` for a
signal at full scale, above ``LEAK_HZ``.
"""

import math

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from cattailer.core.gear.latency import air_delay_samples
from cattailer.core.gear.levels import microphone_dbu, spl_at
from cattailer.core.units import amplitude
from cattailer.liveroom.stage import SEATS, Plugged

Floats = NDArray[np.float32]
LEAK_SPL = 62.0
LEAK_HZ = 700.0
HEARD_M = 1.5
"""Further off nothing is heard of it."""


class Headphones:
    """``worn`` is by player: the first of the two outputs, counted from 0. Sound that leaves the engine at a sample is
    at the microphones one round trip and the way through the air later."""

    def __init__(self, worn: dict[str, int], plugged: dict[int, Plugged], inputs: int, rate_hz: int, held: int) -> None:
        self.worn, self.plugged = worn, plugged
        self._outputs = list(worn.values())
        longest = air_delay_samples(HEARD_M, rate_hz) + 1
        self._line = np.zeros((len(worn), held + longest), np.float32)
        self._sos = signal.butter(2, LEAK_HZ, "high", fs=rate_hz, output="sos")
        self._state = np.zeros((len(self._sos), len(worn), 2))
        self._ways = [
            (row, n, delay, gain)
            for n, player in enumerate(worn) for row, delay, gain in _near(player, plugged, inputs, rate_hz)
        ]

    def played(self, outputs: Floats) -> None:
        """What the engine gave for a block."""
        both = np.stack([outputs[o] + outputs[o + 1] for o in self._outputs]) * np.float32(0.5)
        thin, self._state = signal.sosfilt(self._sos, both, axis=1, zi=self._state)
        count = both.shape[1]
        self._line[:, :-count] = self._line[:, count:]
        self._line[:, -count:] = thin

    def lost(self, samples: int) -> None:
        """Nothing was played for so long."""
        gone = min(samples, self._line.shape[1])
        self._line[:, : self._line.shape[1] - gone] = self._line[:, gone:].copy()
        self._line[:, self._line.shape[1] - gone :] = 0.0

    def add_to(self, words: Floats, gains: Floats, round_trip_samples: int) -> list[int]:
        """Adds what arrives in a block to the rows of ``words`` that hear it, and names them. ``gains`` are what 0 dBu
        becomes at each input."""
        count = words.shape[1]
        for row, n, delay, gain in self._ways:
            at = self._line.shape[1] - round_trip_samples - delay
            words[row] += self._line[n, at : at + count] * (gain * gains[row])
        return sorted({row for row, *_ in self._ways})


def _near(player: str, plugged: dict[int, Plugged], inputs: int, rate_hz: int) -> list[tuple[int, int, np.float32]]:
    """(input, delay in samples, gain in 0 dBu peaks for full scale) of the microphones near a player's head."""
    seat = next(s for s in SEATS if s.player == player)
    out = []
    for socket, plug in plugged.items():
        away = math.hypot(seat.x - plug.x, seat.y - plug.y)
        if plug.microphone is None or socket > inputs or away > HEARD_M:
            continue
        dbu = microphone_dbu(spl_at(away, LEAK_SPL), plug.microphone.sensitivity_mv_per_pa)
        out.append((socket - 1, air_delay_samples(away, rate_hz), np.float32(amplitude(dbu))))
    return out

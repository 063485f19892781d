"""Preamps and converters of the stand-in: gain, noise, clipping, 24-bit words."""

import numpy as np
from numpy.typing import NDArray

from cattailer.core.interface import Profile
from cattailer.core.levels import dbfs, noise_dbfs
from cattailer.core.plan import Preamps
from cattailer.core.units import amplitude
from cattailer.liveroom.stage import Plugged

_STEP = np.float32(2.0**23)
_NOISE_SAMPLES = 8192 + 464

Floats = NDArray[np.float32]


class Converters:
    """Turns volts (in 0 dBu peaks) at all sockets into converter words."""

    def __init__(self, profile: Profile) -> None:
        self._profile = profile
        self._gain = np.zeros((profile.inputs, 1), np.float32)
        rng = np.random.default_rng(7)
        self._noise = rng.standard_normal((profile.inputs, _NOISE_SAMPLES), np.float32)
        self._floor = np.zeros_like(self._noise)
        self._quiet = np.zeros_like(self._noise)
        self.line_gain = np.zeros(profile.inputs, np.float32)

    def set_preamps(self, preamps: Preamps, plugged: dict[int, Plugged]) -> None:
        """A condenser without 48 V gives nothing, and so no noise of its own either."""
        p = self._profile
        noise_gain = np.zeros((p.inputs, 1), np.float32)
        for i in range(p.inputs):
            mic = plugged[i + 1].microphone if i + 1 in plugged else None
            alive = mic is None or not mic.needs_48v or preamps.phantom[i]
            gain, pad = preamps.gain_db[i], preamps.pad_db[i]
            self.line_gain[i] = amplitude(dbfs(p.full_scale_dbu, gain, p.full_scale_dbu, pad))
            self._gain[i] = amplitude(dbfs(0.0, gain, p.full_scale_dbu, pad)) if alive else 0.0
            floor = noise_dbfs(
                mic.self_noise_spl if mic and alive else None, mic.sensitivity_mv_per_pa if mic else 1.0,
                p.ein_dbu, gain, p.full_scale_dbu, p.converter_noise_dbfs,
            )
            # dBFS of noise is RMS against a full-scale sine's RMS.
            noise_gain[i] = amplitude(floor) / np.sqrt(2.0)
            if preamps.polarity and preamps.polarity[i]:
                self._gain[i] *= -1.0
                self.line_gain[i] *= -1.0
        self._floor = self._noise * noise_gain
        quantise(self._floor.copy(), self._quiet)

    def words(self, volts: Floats, room_sample: int, out: Floats) -> None:
        """Converter words of all inputs into ``out``; clips hard.

        ``volts`` has a row for each of the first inputs, up to the last that has something plugged,
        and is used up. The inputs behind them have only their noise.
        """
        plugged, count = volts.shape
        # A stretch begins anywhere in the table, so that no repetition can be heard.
        at = room_sample * 2654435761 % (1 << 32) * (_NOISE_SAMPLES - count) >> 32
        volts *= self._gain[:plugged]
        volts += self._floor[:plugged, at : at + count]
        quantise(volts, out[:plugged])
        out[plugged:] = self._quiet[plugged:, at : at + count]


def quantise(values: Floats, out: Floats) -> None:
    """To 24-bit words within the converter's range; ``values`` is used up."""
    np.multiply(values, _STEP, out=values)
    np.rint(values, out=values)
    np.clip(values, -_STEP, _STEP - 1, out=values)
    np.multiply(values, np.float32(2.0**-23), out=out)

"""Preamps and converters of the stand-in: overload, gain, switches, noise, clipping, 24-bit words."""

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from cattailer.core.gear.interface import Profile, Socket
from cattailer.core.gear.levels import dbfs, loading_corner_hz, loading_loss_db, microphone_dbu, noise_dbfs
from cattailer.core.plan import Preamps
from cattailer.core.units import amplitude
from cattailer.liveroom.stage import Plugged

_STEP = np.float32(2.0**23)
_NOISE_SAMPLES = 8192 + 464
ROOM_TONE_SPL = 24.0
MIC_OHM, LINE_OHM, INSTRUMENT_OHM = 2_400.0, 10_000.0, 1_000_000.0
KNEE = np.float32(0.5)
"""Where the soft limit begins, -6 dBFS."""

Floats = NDArray[np.float32]


class Converters:
    """Turns volts (in 0 dBu peaks) at all sockets into converter words.

    ``knobs`` are the gains of sockets that only a hand can set, by socket.
    """

    def __init__(self, profile: Profile, rate_hz: int) -> None:
        self._profile, self._rate = profile, rate_hz
        self.gain = np.zeros((profile.inputs, 1), np.float32)
        rng = np.random.default_rng(7)
        self._noise = rng.standard_normal((profile.inputs, _NOISE_SAMPLES), np.float32)
        self._hush = _hush(profile.inputs, rate_hz, rng)
        self._floor = np.zeros_like(self._noise)
        self._quiet = np.zeros_like(self._noise)
        self.line_gain = np.zeros(profile.inputs, np.float32)
        self.knobs: dict[int, float] = {}
        self._most = np.full((profile.inputs, 1), np.inf, np.float32)
        self._limited: list[int] = []
        self._filters: list[tuple[list[int], NDArray[np.float64]]] = []
        self._states: list[NDArray[np.float64]] = []
        self._kept: dict[int, list[NDArray[np.float64]]] = {}

    def set_preamps(self, preamps: Preamps, plugged: dict[int, Plugged]) -> None:
        """A condenser without 48 V gives nothing, and so no noise of its own either."""
        p = self._profile
        noise_gain, tone_gain = (np.zeros((p.inputs, 1), np.float32) for _ in range(2))
        low_cuts: dict[float, list[int]] = {}
        dull: dict[float, list[int]] = {}
        for i, socket in enumerate(p.sockets):
            plug = plugged.get(i + 1)
            mic = plug.microphone if plug else None
            alive = mic is None or not mic.needs_48v or preamps.phantom[i]
            gain, pad = preamps.gain_db[i], preamps.pad_db[i]
            if socket.preamp and not socket.remote:
                gain = self.knobs.setdefault(socket.number, gain)
            input_ohm = _input_ohm(socket, preamps, i)
            lost = loading_loss_db(plug.source_ohm, input_ohm) if plug and plug.source_ohm > 1_000.0 else 0.0
            if plug and plug.source_henry:
                dull.setdefault(loading_corner_hz(plug.source_henry, plug.source_ohm, input_ohm), []).append(i)
            if preamps.low_cut_hz and preamps.low_cut_hz[i]:
                low_cuts.setdefault(preamps.low_cut_hz[i], []).append(i)
            self.line_gain[i] = amplitude(dbfs(p.full_scale_dbu, gain, p.full_scale_dbu, pad))
            self.gain[i] = amplitude(dbfs(-lost, gain, p.full_scale_dbu, pad)) if alive else 0.0
            most = socket.max_input_dbu + pad + lost
            if mic:
                most = min(most, microphone_dbu(mic.max_spl, mic.sensitivity_mv_per_pa))
            self._most[i] = amplitude(most)
            floor = noise_dbfs(
                mic.self_noise_spl if mic and alive else None, mic.sensitivity_mv_per_pa if mic else 1.0,
                p.ein_dbu, gain, p.full_scale_dbu, p.converter_noise_dbfs,
            )
            # dBFS of noise is RMS against a full-scale sine's RMS.
            noise_gain[i] = amplitude(floor) / np.sqrt(2.0)
            if mic and alive:
                tone_dbu = microphone_dbu(ROOM_TONE_SPL, mic.sensitivity_mv_per_pa)
                tone_gain[i] = amplitude(dbfs(tone_dbu, gain, p.full_scale_dbu, pad)) / np.sqrt(2.0)
            if preamps.polarity and preamps.polarity[i]:
                self.gain[i] *= -1.0
                self.line_gain[i] *= -1.0
        self._floor = self._noise * noise_gain + self._hush * tone_gain
        quantise(self._floor.copy(), self._quiet)
        self._limited = [i for i, on in enumerate(preamps.soft_limit) if on]
        self._filters = [
            *((rows, signal.butter(1, hz, "low", fs=self._rate, output="sos")) for hz, rows in dull.items()),
            *((rows, signal.butter(2, hz, "high", fs=self._rate, output="sos")) for hz, rows in low_cuts.items()),
        ]
        self._states = [np.zeros((len(sos), len(rows), 2)) for rows, sos in self._filters]
        self._kept.clear()

    @property
    def filters(self) -> bool:
        """Whether anything here remembers what came before."""
        return bool(self._filters)

    def go_back(self, room_sample: int) -> None:
        """What is rendered next begins at ``room_sample``, again perhaps; the filters are as they were there."""
        self._states = [s.copy() for s in self._kept.get(room_sample, self._states)]

    def words(self, volts: Floats, room_sample: int, out: Floats) -> None:
        """Converter words of all inputs into ``out``; clips hard.

        ``volts`` has a row for each of the first inputs, up to the last that has something plugged,
        and is used up. The inputs behind them have only their noise.
        """
        plugged, count = volts.shape
        # A stretch begins anywhere in the table, so that no repetition can be heard.
        at = room_sample * 2654435761 % (1 << 32) * (_NOISE_SAMPLES - count) >> 32
        if self._filters:
            self._filter(volts, room_sample)
        most = self._most[:plugged]
        np.clip(volts, -most, most, out=volts)
        volts *= self.gain[:plugged]
        volts += self._floor[:plugged, at : at + count]
        rows = [row for row in self._limited if row < plugged]
        if rows:
            volts[rows] = _limit(volts[rows])
        quantise(volts, out[:plugged])
        out[plugged:] = self._quiet[plugged:, at : at + count]

    def _filter(self, volts: Floats, room_sample: int) -> None:
        self._kept[room_sample] = [s.copy() for s in self._states]
        while len(self._kept) > 4:
            del self._kept[min(self._kept)]
        for n, (rows, sos) in enumerate(self._filters):
            present = [row for row in rows if row < len(volts)]
            if present == rows:
                volts[rows], self._states[n] = signal.sosfilt(sos, volts[rows], axis=1, zi=self._states[n])


def _input_ohm(socket: Socket, preamps: Preamps, row: int) -> float:
    if preamps.instrument and preamps.instrument[row]:
        return INSTRUMENT_OHM
    return MIC_OHM if socket.preamp else LINE_OHM


def _hush(rows: int, rate_hz: int, rng: np.random.Generator) -> Floats:
    """The barn at rest, another stretch for each row: noise that falls 4 dB an octave, RMS 1."""
    spectrum = np.fft.rfft(rng.standard_normal((rows, _NOISE_SAMPLES)), axis=1)
    hz = np.fft.rfftfreq(_NOISE_SAMPLES, 1 / rate_hz)
    spectrum *= np.where(hz > 20.0, (np.maximum(hz, 20.0) / 1000.0) ** -0.66, 0.0)
    sound = np.fft.irfft(spectrum, _NOISE_SAMPLES, axis=1)
    return np.asarray(sound / np.sqrt((sound**2).mean(axis=1, keepdims=True)), np.float32)


def _limit(values: Floats) -> Floats:
    """Straight up to the knee, then ever flatter towards full scale."""
    over = np.maximum(np.abs(values) - KNEE, 0.0) / KNEE
    soft = KNEE + KNEE * np.tanh(over)
    return np.asarray(np.where(over > 0.0, np.copysign(soft, values), values), np.float32)


def quantise(values: Floats, out: Floats) -> None:
    """To 24-bit words within the converter's range; ``values`` is used up."""
    np.multiply(values, _STEP, out=values)
    np.rint(values, out=values)
    np.clip(values, -_STEP, _STEP - 1, out=values)
    np.multiply(values, np.float32(2.0**-23), out=out)

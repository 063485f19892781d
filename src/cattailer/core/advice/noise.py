"""Where a row's noise comes from: what the model expects of converter, preamp and microphone, and what
is left over for the room."""

import math
from dataclasses import dataclass

from cattailer.core.findings import Finding
from cattailer.core.gear.interface import Profile
from cattailer.core.gear.levels import dbfs, microphone_dbu
from cattailer.core.patch.patch import PatchInput
from cattailer.core.units import add_powers

USUAL_MICROPHONES = {"condenser": (15.0, 14.0), "dynamic": (1.8, 18.0), "ribbon": (1.6, 17.0)}
"""Sensitivity in mV/Pa and self-noise in dB SPL of a usual microphone of each kind."""

CREST_DB = 12.0
"""So far above its RMS level noise reaches now and then."""

RMS_OF_SINE_DB = -10.0 * math.log10(2.0)


@dataclass(frozen=True)
class NoiseParts:
    """Expected RMS levels in dBFS; ``microphone`` is -inf where none is plugged."""

    converter: float
    preamp: float
    microphone: float

    @property
    def expected(self) -> float:
        return add_powers(self.converter, self.preamp, max(self.microphone, -400.0))


@dataclass(frozen=True)
class NoiseSource:
    """``who``: "converter", "preamp", "microphone" or "room", and why, in words."""

    who: str
    words: str


def parts(profile: Profile, row: PatchInput) -> NoiseParts:
    """The model's noise of one socket as it is set."""
    socket = profile.socket(row.socket)
    gain = row.gain_db if socket.preamp else 0.0
    # Noise levels are told against a full-scale sine, as RMS here.
    converter = profile.converter_noise_dbfs + RMS_OF_SINE_DB
    preamp = dbfs(profile.ein_dbu, gain, profile.full_scale_dbu) + RMS_OF_SINE_DB
    microphone = -math.inf
    usual = USUAL_MICROPHONES.get(row.pickup)
    if usual and (row.pickup != "condenser" or row.phantom):
        pad = socket.pad_db if row.pad else 0.0
        dbu = microphone_dbu(usual[1], usual[0])
        microphone = dbfs(dbu, gain, profile.full_scale_dbu, pad) + RMS_OF_SINE_DB
    return NoiseParts(converter, preamp, microphone)


def reaches(name: str, floor_dbfs: float, threshold_dbfs: float) -> list[Finding]:
    """What is said of a track whose noise, ``floor_dbfs`` RMS, comes up to what counts as sound."""
    most = floor_dbfs + CREST_DB
    if most < threshold_dbfs:
        return []
    return [Finding(
        "look", f"The threshold, {threshold_dbfs:g} dBFS, lies in the noise of {name} (up to {most:.0f} dBFS): "
        "it would begin at once",
    )]


def attribute(measured_dbfs: float, expected: NoiseParts) -> NoiseSource:
    """Who makes the noise: the largest part, the room being what the others do not explain."""
    left = 10.0 ** (measured_dbfs / 10.0) - 10.0 ** (expected.expected / 10.0)
    room = 10.0 * math.log10(left) if left > 0.0 else -math.inf
    known = {"converter": expected.converter, "preamp": expected.preamp, "microphone": expected.microphone}
    known["room"] = room
    who = max(known, key=lambda part: known[part])
    words = {
        "converter": "the converter: turn the gain up, the noise will not follow",
        "preamp": "the preamp: a more sensitive or closer microphone would help, more gain would not",
        "microphone": "the microphone itself: a quieter one, or closer to the source",
        "room": f"the room (or hum), {_over(room, expected.expected)} over what the devices make",
    }[who]
    return NoiseSource(who, words)


def _over(room: float, expected: float) -> str:
    return f"{max(0.0, room - expected):.0f} dB"

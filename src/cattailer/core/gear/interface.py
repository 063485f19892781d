"""What an audio interface can do, as its profile states it."""

from dataclasses import dataclass
from typing import Literal

from cattailer.core.errors import Refusal
from cattailer.core.gear import latency

COMMON_RATES_HZ = (44100, 48000, 88200, 96000, 176400, 192000)
COMMON_BUFFERS = (32, 64, 128, 256, 512, 1024)
DEPTHS = {16: "16 bit", 24: "24 bit", 32: "32 bit float"}
Switch = Literal["phantom", "pad", "low_cut", "polarity", "instrument", "soft_limit"]
SWITCHES: dict[str, str] = {
    "phantom": "48 V", "pad": "pad", "low_cut": "low cut", "polarity": "polarity switch",
    "instrument": "instrument switch", "soft_limit": "soft limit",
}
"""What can be switched at a socket, and its word."""


@dataclass(frozen=True)
class Socket:
    """One input socket. ``number`` is printed on the panel; ``phantom`` is "own", "none", or the
    name of a bank of sockets that share one 48 V switch. A pad or low cut of 0 is not there. Its gain is set
    from here (``remote``) or by hand at a knob. Above ``max_input_dbu`` it overloads before the converter."""

    number: int
    connector: str
    preamp: bool = True
    phantom: str = "own"
    pad_db: float = 0.0
    low_cut_hz: float = 0.0
    polarity: bool = False
    instrument: bool = False
    soft_limit: bool = False
    remote: bool = True
    max_input_dbu: float = 24.0

    def has(self, switch: str) -> bool:
        return {
            "phantom": self.phantom != "none", "pad": self.pad_db > 0, "low_cut": self.low_cut_hz > 0,
            "polarity": self.polarity, "instrument": self.instrument, "soft_limit": self.soft_limit,
        }[switch]

    def why_not(self, switch: str) -> str:
        """Why this socket does not offer a switch; empty when it does."""
        if self.has(switch):
            return ""
        if not self.preamp:
            return f"Socket {self.number} ({self.connector}) has no preamp, so it has no {SWITCHES[switch]}."
        return f"Socket {self.number} ({self.connector}) has no {SWITCHES[switch]}."


@dataclass(frozen=True)
class Profile:
    """An interface: sockets, rates, buffers, preamps and converters.

    ``converter_in`` and ``converter_out`` are the converters' delay in samples, ``safety`` the driver's
    margin, ``unreported`` what a stand-in's driver keeps quiet about (at 48 kHz). ``full_scale_dbu`` is the
    level that reads 0 dBFS at 0 dB gain.
    """

    key: str
    name: str
    sockets: tuple[Socket, ...]
    outputs: int
    rates_hz: tuple[int, ...]
    buffers: tuple[int, ...]
    bits: tuple[int, ...]
    gain_min_db: float
    gain_max_db: float
    gain_step_db: float
    full_scale_dbu: float
    ein_dbu: float
    converter_noise_dbfs: float
    converter_in: int
    converter_out: int
    safety: int
    unreported: int = 0
    direct: bool = False
    """Whether it leads inputs to outputs inside, without the computer."""
    known: bool = True
    """False for the blank that stands in when a session's profile is gone."""

    @property
    def inputs(self) -> int:
        return len(self.sockets)

    def socket(self, number: int) -> Socket:
        """Raises Refusal for a socket that is not on the panel."""
        if not 1 <= number <= self.inputs:
            raise Refusal(f"{self.name} has no socket {number}; it has {self.inputs}. Nothing was changed.")
        return self.sockets[number - 1]

    def bank(self, number: int) -> tuple[int, ...]:
        """The sockets whose 48 V is switched together with this one's, itself included."""
        name = self.socket(number).phantom
        if name in ("own", "none"):
            return (number,)
        return tuple(s.number for s in self.sockets if s.phantom == name)

    @property
    def direct_samples(self) -> int:
        """How late a player hears themselves on the way inside: by its converters only."""
        return self.converter_in + self.converter_out

    def latency(self, period: int) -> latency.Latency:
        return latency.of_buffer(period, self.safety, self.converter_in, self.converter_out)

    def why_not_rate(self, rate_hz: int) -> str:
        """Why this interface does not run at a rate; empty when it does."""
        if rate_hz in self.rates_hz:
            return ""
        if rate_hz > max(self.rates_hz, default=0):
            return f"{self.name} stops at {max(self.rates_hz, default=0) / 1000:g} kHz"
        return f"{self.name} does not offer it"

    def check_rate(self, rate_hz: int) -> int:
        if rate_hz not in self.rates_hz:
            raise Refusal(f"{self.name} does not run at {rate_hz:,} Hz; it runs at {_listed(self.rates_hz)} Hz.")
        return rate_hz

    def check_period(self, period: int) -> int:
        if period not in self.buffers:
            raise Refusal(f"{self.name} has no buffer of {period:,} samples; it offers {_listed(self.buffers)}.")
        return period

    def check_bits(self, bits: int) -> int:
        if bits not in self.bits:
            raise Refusal(f"{self.name} does not write {bits} bit; it offers {_listed(self.bits)}.")
        return bits

    def check_gain(self, gain_db: float) -> float:
        """The gain rounded to the preamp's steps; raises Refusal when it is out of range."""
        if not self.gain_min_db <= gain_db <= self.gain_max_db:
            raise Refusal(
                f"The preamp goes from {self.gain_min_db:+g} to {self.gain_max_db:+g} dB; "
                f"{gain_db:g} is outside. The gain stays as it was."
            )
        return round(gain_db / self.gain_step_db) * self.gain_step_db

    def check_knob(self, gain_db: float) -> float:
        """What a knob can be turned to, without steps."""
        return round(min(self.gain_max_db, max(self.gain_min_db, gain_db)), 1)

    def settle(self, rate_hz: int, period: int, bits: int) -> tuple[int, int, int]:
        """The nearest rate, buffer and bit depth that this interface offers."""
        return (
            min(self.rates_hz, key=lambda r: abs(r - rate_hz)), min(self.buffers, key=lambda b: abs(b - period)),
            min(self.bits, key=lambda b: abs(b - bits)),
        )


def missing(key: str) -> Profile:
    """Stands in for a profile whose file is gone: no sockets, nothing offered."""
    return Profile(key, f"{key} (profile missing)", (), 0, (), (), (), 0, 0, 1, 18, -120, -100, 0, 0, 0, known=False)


def _listed(values: tuple[int, ...]) -> str:
    return ", ".join(f"{v:,}" for v in values)

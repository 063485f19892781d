"""What an audio interface can do, as its profile states it."""

from dataclasses import dataclass

from cattailer.core import latency
from cattailer.core.errors import Refusal


@dataclass(frozen=True)
class Profile:
    """An interface: sockets, rates, buffers, preamps and converters.

    ``converter_in`` and ``converter_out`` are the converters' delay in samples, ``safety`` the
    driver's margin. ``full_scale_dbu`` is the level that reads 0 dBFS at 0 dB gain.
    """

    key: str
    name: str
    inputs: int
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

    def latency(self, period: int) -> latency.Latency:
        return latency.of_buffer(period, self.safety, self.converter_in, self.converter_out)

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


def _listed(values: tuple[int, ...]) -> str:
    return ", ".join(f"{v:,}" for v in values)

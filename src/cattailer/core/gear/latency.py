"""Latency arithmetic, in samples.

A stretch of sound passes converter, driver and one period on its way in, and the same on its way
out. A player in time with what they hear is captured one round trip late, so captured hardware
inputs are placed that much earlier.
"""

from dataclasses import dataclass

from cattailer.core.units import milliseconds

SPEED_OF_SOUND_M_S = 343.0


@dataclass(frozen=True)
class Latency:
    """One direction each, in samples: period + driver safety + converter."""

    input_samples: int
    output_samples: int

    @property
    def round_trip_samples(self) -> int:
        return self.input_samples + self.output_samples

    def round_trip_ms(self, rate_hz: int) -> float:
        return milliseconds(self.round_trip_samples, rate_hz)


def of_buffer(period: int, safety: int, converter_in: int, converter_out: int) -> Latency:
    """Latency of a buffer of ``period`` samples."""
    return Latency(period + safety + converter_in, period + safety + converter_out)


def air_delay_samples(distance_m: float, rate_hz: int) -> int:
    """Samples that sound needs for ``distance_m`` of air."""
    return round(distance_m / SPEED_OF_SOUND_M_S * rate_hz)

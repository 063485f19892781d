"""Sample rates: what each one changes, and positions when the rate changes."""

from dataclasses import dataclass

from cattailer.core.gear.interface import Profile
from cattailer.core.units import milliseconds

PASSED_SHARE = 0.4535
"""A converter passes up to about this share of its rate (20 kHz at 44.1 kHz); above, its filter falls off."""


@dataclass(frozen=True)
class RateFacts:
    """What a rate means for a session. ``takes`` of ``of`` can be heard at it as they are; ``why_not`` is empty when
    the interface offers it."""

    rate_hz: int
    highest_khz: float
    mb_per_minute: float
    round_trip_ms: float
    takes: int
    of: int
    why_not: str

    @property
    def to_convert(self) -> int:
        return self.of - self.takes


def rescaled(samples: int, old_hz: int, new_hz: int) -> int:
    """The same moment at another rate, rounded half up."""
    return (2 * samples * new_hz + old_hz) // (2 * old_hz)


def facts(
    profile: Profile, rate_hz: int, period: int, channels: int, bits: int, takes: int, of: int
) -> RateFacts:
    """``channels`` are those that would be captured, ``period`` the buffer in use."""
    return RateFacts(
        rate_hz, PASSED_SHARE * rate_hz / 1000.0, channels * rate_hz * bits / 8 * 60 / 1e6,
        milliseconds(profile.latency(period).round_trip_samples, rate_hz), takes, of, profile.why_not_rate(rate_hz),
    )

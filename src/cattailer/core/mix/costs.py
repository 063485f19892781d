"""What effects cost: computing time of a block, and whether there is any left for one more."""

from dataclasses import dataclass

from cattailer.core.gear.ladder import TOO_MUCH_LOAD
from cattailer.core.mix.effects import Effects

LATENCY_SAMPLES = {"eq": 0, "dyn": 0, "reverb": 0}
"""By how much sound comes later out of an effect than it went in."""


@dataclass(frozen=True)
class Costs:
    """Measured on this machine, in microseconds of a block: what an effect of a kind takes by itself, and for each
    channel more. ``spent_us`` is what a usual block takes now."""

    rate_hz: int
    period: int
    alone_us: dict[str, float]
    channel_us: dict[str, float]
    spent_us: float

    @property
    def period_us(self) -> float:
        return 1e6 * self.period / self.rate_hz

    def of(self, kind: str, channels: int) -> float:
        return self.alone_us[kind] + channels * self.channel_us[kind]

    def too_slow(self, kind: str, channels: int) -> bool:
        """Whether captures would break up with it."""
        return self.spent_us + self.of(kind, channels) > TOO_MUCH_LOAD * self.period_us

    def words(self, kind: str, channels: int) -> str:
        takes = self.of(kind, channels)
        late = LATENCY_SAMPLES[kind]
        adds = f"adds {late} samples of latency" if late else "adds no latency"
        return f"takes about {takes:.0f} µs of {self.period_us:.0f} ({100 * takes / self.period_us:.1f} %), {adds}"

    def warning(self, what: str, kind: str, channels: int) -> str:
        return (
            f"{what} takes about {self.of(kind, channels):.0f} µs. A block of {self.period} samples has "
            f"{self.period_us:.0f} µs, and {self.spent_us:.0f} are taken already: captures would break up. "
            "A larger buffer in Timing has more time."
        )


def latency_of(effects: Effects) -> int:
    """Samples by which a row's effects make it late."""
    return sum(LATENCY_SAMPLES[kind] for kind in LATENCY_SAMPLES if getattr(effects, kind) is not None)

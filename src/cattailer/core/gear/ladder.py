"""The buffer ladder: what each buffer size costs in lateness, and what it leaves in computing time."""

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from cattailer.core.gear.interface import Profile
from cattailer.core.gear.latency import SPEED_OF_SOUND_M_S, Latency
from cattailer.core.mix.limiting import look_ahead_samples, through_samples
from cattailer.core.units import milliseconds

Use = Literal["tracking", "mixing"]
USES: tuple[Use, ...] = ("tracking", "mixing")
FELT_MS = 8.0
"""Later than about this, players notice and drag."""

DISTURBING_MS = 15.0
MUCH_LOAD, TOO_MUCH_LOAD = 0.45, 0.7
Doubles = NDArray[np.float64]


@dataclass(frozen=True)
class Load:
    """Times of many blocks of one size, in microseconds, as measured on this machine with a session's plan."""

    period: int
    block_us: tuple[float, ...]

    def share(self, rate_hz: int) -> float:
        """The usual block's time as a share of its period."""
        return float(np.median(self.block_us)) / self.period_us(rate_hz)

    def period_us(self, rate_hz: int) -> float:
        return 1e6 * self.period / rate_hz

    def dropouts_per_hour(self, rate_hz: int, queue_us: float = 0.0) -> float:
        """How often a block would come too late, from the measured times.

        Blocks later than the period and what the hardware holds in its queue; beyond the longest that was
        seen, times are taken to fall off as a power law (Hill's estimate from the highest hundredth).
        """
        times = np.sort(np.asarray(self.block_us))
        limit = self.period_us(rate_hz) + queue_us
        blocks_per_hour = 3.6e9 / self.period_us(rate_hz)
        late = float((times > limit).mean())
        if late == 0.0 and len(times) >= 200:
            top = times[-max(10, len(times) // 100) :]
            slope = 1.0 / max(1e-3, float(np.mean(np.log(top / top[0]))))
            late = len(top) / len(times) * (top[0] / limit) ** max(2.0, slope)
        return blocks_per_hour * late


@dataclass(frozen=True)
class Rung:
    """One buffer size. ``load`` is the share of the period that computing takes, None where it was not measured."""

    period: int
    latency: Latency
    round_trip_samples: int
    input_ms: float
    output_ms: float
    round_trip_ms: float
    air_m: float
    direct_ms: float
    through_ms: float
    load: float | None
    dropouts_per_hour: float | None
    suits: str

    @property
    def spare_percent(self) -> float | None:
        return None if self.load is None else 100.0 * max(0.0, 1.0 - self.load)

    @property
    def lateness(self) -> str:
        """How the Through path feels: "fine", "felt" or "disturbing"."""
        return "fine" if self.through_ms <= FELT_MS else "felt" if self.through_ms <= DISTURBING_MS else "disturbing"

    @property
    def room(self) -> str:
        """Computing time: "enough", "little" or "none"."""
        load = self.load or 0.0
        return "none" if load > TOO_MUCH_LOAD else "little" if load > MUCH_LOAD else "enough"


def air_m(ms: float) -> float:
    """How far sound travels in that time."""
    return ms / 1000.0 * SPEED_OF_SOUND_M_S


def rungs(profile: Profile, rate_hz: int, loads: dict[int, Load], correction: dict[int, int]) -> list[Rung]:
    """Every buffer size that the interface offers, the smallest first; ``correction`` is measured minus claimed."""
    out = []
    chance: float | None = None
    for period in profile.buffers:
        claimed = profile.latency(period)
        more = correction.get(period, 0)
        round_trip = claimed.round_trip_samples + more
        through = milliseconds(through_samples(round_trip, rate_hz), rate_hz)
        load = loads.get(period)
        if load:  # a larger buffer is never worse: what was seen there by chance is the smaller one's as well
            seen = load.dropouts_per_hour(rate_hz)
            chance = seen if chance is None else min(chance, seen)
        out.append(Rung(
            period, claimed, round_trip, milliseconds(claimed.input_samples, rate_hz),
            milliseconds(claimed.output_samples, rate_hz),
            milliseconds(round_trip, rate_hz), air_m(through),
            milliseconds(profile.converter_in + profile.converter_out, rate_hz), through,
            load.share(rate_hz) if load else None, chance if load else None,
            suits(through, load.share(rate_hz) if load else None),
        ))
    return out


@dataclass(frozen=True)
class Part:
    """A stretch of the way from a microphone to ears, in samples. ``kind``: converter, driver, buffer,
    effects, limiter or unknown."""

    name: str
    kind: str
    samples: int


def budget(
    profile: Profile, period: int, rate_hz: int, correction_samples: int = 0, inside: bool = False,
    effects_samples: int = 0,
) -> list[Part]:
    """The Through path in the order in which sound passes it. On the Direct path only the converters are left.

    What is made ``inside`` has only the way out; it is then not known which way the correction belongs to.
    """
    out = [
        Part("converter in", "converter", profile.converter_in), Part("driver", "driver", profile.safety),
        Part("buffer in", "buffer", period),
    ]
    effects = [Part("effects", "effects", effects_samples)] if effects_samples else []
    back = [
        *effects, Part("limiter", "limiter", look_ahead_samples(rate_hz)),
        Part("buffer out", "buffer", period), Part("driver", "driver", profile.safety),
        Part("converter out", "converter", profile.converter_out),
    ]
    if inside:
        return back
    parts = [*out, *back]
    if correction_samples > 0:
        parts.append(Part("not told", "unknown", correction_samples))
    return parts


def suits(through_ms: float, load: float | None) -> str:
    """One sentence on whom a buffer suits."""
    if load is not None and load > TOO_MUCH_LOAD:
        return "Too small for this session on this machine: the capture would break up."
    if through_ms <= 5.0:
        words = "For singers and drummers who hear themselves through here."
    elif through_ms <= FELT_MS:
        words = "For most players on the Through path; few will notice."
    elif through_ms <= DISTURBING_MS:
        words = "For pads and slow parts; rhythm players notice and drag."
    else:
        words = "For mixing, or for tracking on the Direct path only."
    if load is not None and load > MUCH_LOAD:
        words += " Little computing time is left."
    return words


def smallest_that_holds(loads: dict[int, Load], rate_hz: int, most_per_hour: float = 0.2) -> int | None:
    """The smallest buffer that would hardly ever break up, or None when none was measured to hold."""
    for period in sorted(loads):
        load = loads[period]
        if load.share(rate_hz) < TOO_MUCH_LOAD and load.dropouts_per_hour(rate_hz) <= most_per_hour:
            return period
    return None


def chance_in_words(per_hour: float | None) -> str:
    if per_hour is None:
        return "not measured"
    if per_hour < 0.01:
        return "hardly ever"
    if per_hour < 0.5:
        return f"one in {round(1.0 / per_hour):,} h"
    if per_hour < 60.0:
        return f"{max(1, round(per_hour))} an hour"
    return f"{math.ceil(per_hour / 60.0):,} a minute"

"""Who sits where, and which microphone hears whom how loud and how late."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cattailer.core.gear.latency import air_delay_samples
from cattailer.core.gear.levels import microphone_dbu, spl_at
from cattailer.core.units import amplitude


@dataclass(frozen=True)
class Seat:
    """A player's place in metres (x right, y back) and the loudest peaks in dB SPL at 1 m."""

    player: str
    x: float
    y: float
    peak_spl: float


@dataclass(frozen=True)
class Microphone:
    """``pattern`` is the omnidirectional share of the pickup: 1 round, 0.5 cardioid, 0 figure of eight."""

    name: str
    sensitivity_mv_per_pa: float
    self_noise_spl: float
    pattern: float
    needs_48v: bool
    max_spl: float = 136.0


@dataclass(frozen=True)
class Plugged:
    """A microphone at (x, y) that looks at a player, or a pickup (no position). ``socket`` is where
    its cable goes at first; later that is the room's to say. A close microphone without its ``screen``
    catches breath."""

    socket: int
    name: str
    microphone: Microphone | None
    x: float = 0.0
    y: float = 0.0
    looks_at: str = ""
    pickup: str = ""
    pickup_dbu: float = -20.0
    source_ohm: float = 150.0
    source_henry: float = 0.0
    screen: bool = True

    @property
    def player(self) -> str:
        """Whom it is there for; "room" for what hears everybody."""
        if self.microphone is not None and self.microphone.pattern == 1.0:
            return "room"
        return self.looks_at or self.pickup.split("-")[0]

    @property
    def kind(self) -> str:
        """How it picks up, in the words of an input list."""
        if self.microphone is None:
            return "instrument" if self.source_henry else "line" if self.pickup_dbu > -10.0 else "DI"
        return "condenser" if self.microphone.needs_48v else "ribbon" if self.microphone.pattern == 0.0 else "dynamic"


SMALL_CONDENSER = Microphone("small condenser", 12.0, 15.0, 0.5, True)
LARGE_CONDENSER = Microphone("large condenser", 20.0, 8.0, 0.5, True)
ROUND_CONDENSER = Microphone("round condenser", 25.0, 12.0, 1.0, True)
RIBBON = Microphone("ribbon", 1.6, 17.0, 0.0, False)
DYNAMIC = Microphone("dynamic", 1.8, 18.0, 0.5, False)

SEATS = (
    Seat("dulcimer", -1.6, 0.8, 94.0),
    Seat("cello", 0.0, 1.6, 92.0),
    Seat("bass clarinet", 1.5, 1.0, 92.0),
    Seat("frame drum", 2.4, 0.0, 102.0),
    Seat("harmonium", -2.6, -0.2, 88.0),
    Seat("narrator", 0.0, -2.6, 82.0),
    Seat("harp", 0.9, 2.6, 86.0),
)
PLUGGED = (
    Plugged(1, "dulcimer, left", SMALL_CONDENSER, -1.75, 0.42, "dulcimer"),
    Plugged(2, "dulcimer, right", SMALL_CONDENSER, -1.40, 0.45, "dulcimer"),
    Plugged(3, "cello", LARGE_CONDENSER, 0.05, 1.0, "cello"),
    Plugged(4, "cello pickup", None, pickup="cello-pickup", pickup_dbu=-16.0),
    Plugged(5, "bass clarinet", RIBBON, 1.4, 0.5, "bass clarinet"),
    Plugged(6, "frame drum", DYNAMIC, 2.32, -0.13, "frame drum"),
    Plugged(7, "harmonium", SMALL_CONDENSER, -2.3, -0.95, "harmonium"),
    Plugged(8, "narrator", LARGE_CONDENSER, 0.0, -2.8, "narrator"),
    Plugged(9, "room, left", ROUND_CONDENSER, -0.3, -1.3, "cello"),
    Plugged(10, "room, right", ROUND_CONDENSER, 0.3, -1.3, "cello"),
)
SOURCES = (*(seat.player for seat in SEATS), "cello-pickup", "narrator-breath")
"""Rows of the source table: the players, then what only a pickup or a close microphone hears of them."""

BREATH_M = 0.35
BARE_OHM, BARE_HENRY = 8_000.0, 3.0
"""A pickup whose DI was taken away."""

DIFFUSE_METRES = 5.5
"""Beyond this distance a source's direct sound is weaker than the barn's answer to it."""


@dataclass(frozen=True)
class Paths:
    """From sources to inputs. ``gain`` in 0 dBu per source peak and ``delay`` in samples, shape
    (inputs, sources); ``diffuse`` is the gain of the barn's answer, shape (inputs,)."""

    gain: NDArray[np.float32]
    delay: NDArray[np.int64]
    diffuse: NDArray[np.float32]
    source_pressure: NDArray[np.float32]


def paths(plugged: dict[int, Plugged], inputs: int, rate_hz: int) -> Paths:
    """Distances turned into losses (1/r), delays and off-axis rejection for ``inputs`` inputs.

    ``plugged`` says by socket what is in it.
    """
    gain = np.zeros((inputs, len(SOURCES)), np.float32)
    delay = np.zeros((inputs, len(SOURCES)), np.int64)
    diffuse = np.zeros(inputs, np.float32)
    places = {seat.player: seat for seat in SEATS}
    for socket, plug in plugged.items():
        row = socket - 1
        if row >= inputs:
            continue
        if plug.microphone is None:
            gain[row, SOURCES.index(plug.pickup)] = amplitude(plug.pickup_dbu)
            continue
        mic = plug.microphone
        aim = places[plug.looks_at]
        facing = math.atan2(aim.y - plug.y, aim.x - plug.x)
        for column, seat in enumerate(SEATS):
            distance = math.hypot(seat.x - plug.x, seat.y - plug.y)
            angle = math.atan2(seat.y - plug.y, seat.x - plug.x) - facing
            hears = abs(mic.pattern + (1.0 - mic.pattern) * math.cos(angle))
            dbu = microphone_dbu(spl_at(distance, seat.peak_spl), mic.sensitivity_mv_per_pa)
            gain[row, column] = amplitude(dbu) * max(hears, 0.05)
            delay[row, column] = air_delay_samples(distance, rate_hz)
            if f"{seat.player}-breath" in SOURCES and distance < BREATH_M and not plug.screen:
                gain[row, SOURCES.index(f"{seat.player}-breath")] = gain[row, column] * BREATH_M / distance
        reach = microphone_dbu(spl_at(DIFFUSE_METRES, 94.0), mic.sensitivity_mv_per_pa)
        spread = math.sqrt(mic.pattern**2 + (1.0 - mic.pattern) ** 2 / 3.0)
        diffuse[row] = amplitude(reach) * spread
    pressure = [amplitude(seat.peak_spl - 94.0) for seat in SEATS] + [0.0] * (len(SOURCES) - len(SEATS))
    return Paths(gain, delay, diffuse, np.array(pressure, np.float32))

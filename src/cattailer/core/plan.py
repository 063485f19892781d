"""The plan: everything the engine needs to know of a session, compiled and immutable.

Services make a plan from the database; the engine swaps it whole at a block boundary. Telemetry
carries its revision.
"""

import math
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from cattailer.core.takes import Placed
from cattailer.core.timeline import TempoMap
from cattailer.core.units import amplitude


@dataclass(frozen=True)
class TrackPlan:
    """A track: its inputs (one, or two for a pair; counted from 0), and how it sits in the main mix."""

    id: int
    name: str
    inputs: tuple[int, ...]
    armed: bool
    fader_db: float = 0.0
    pan: float = 0.0


@dataclass(frozen=True)
class Preamps:
    """Per input: gain in dB, 48 V, and pad in dB."""

    gain_db: tuple[float, ...]
    phantom: tuple[bool, ...]
    pad_db: tuple[float, ...]


@dataclass(frozen=True)
class Plan:
    """One session as the engine runs it. ``line`` is what playback sounds, per track, in order."""

    session: int
    title: str
    revision: int
    interface: str
    rate_hz: int
    period: int
    bits: int
    inputs: int
    outputs: int
    preamps: Preamps
    tracks: tuple[TrackPlan, ...]
    line: tuple[Placed, ...]
    tempo: TempoMap
    click: bool = False
    click_db: float = -12.0
    main_db: float = -6.0

    def to_dict(self) -> dict[str, Any]:
        """Plain values, as they travel to the engine."""
        data = asdict(self)
        data["tempo"] = self.tempo.to_dict()
        return data

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> "Plan":
        """Raises KeyError, TypeError or ValueError when ``data`` is no plan."""
        rest = dict(data)
        rest["tempo"] = TempoMap.from_dict(rest["rate_hz"], rest["tempo"])
        rest["preamps"] = Preamps(**{k: tuple(v) for k, v in rest["preamps"].items()})
        rest["tracks"] = tuple(TrackPlan(**{**t, "inputs": tuple(t["inputs"])}) for t in rest["tracks"])
        rest["line"] = tuple(Placed(**p) for p in rest["line"])
        return cls(**rest)

    def same_hardware(self, other: "Plan | None") -> bool:
        """Whether the driver can stay open when ``other`` gives way to this plan."""
        mine = (self.interface, self.rate_hz, self.period)
        return other is not None and mine == (other.interface, other.rate_hz, other.period)


def pan_gains(pan: float, channels: int) -> list[tuple[float, float]]:
    """(left, right) gain of each channel of a track; ``pan`` from -1 to 1.

    Mono: sine-cosine law, 3 dB down in the middle. A pair keeps its sides, and panning turns the
    far side down.
    """
    angle = (min(1.0, max(-1.0, pan)) + 1.0) * math.pi / 4.0
    left, right = math.cos(angle), math.sin(angle)
    if channels == 1:
        return [(left, right)]
    return [(min(1.0, left * math.sqrt(2.0)), 0.0), (0.0, min(1.0, right * math.sqrt(2.0)))]


def main_matrix(plan: Plan) -> NDArray[np.float32]:
    """Gain of each track channel into the main mix: shape (2, track channels), tracks in order."""
    rows: list[tuple[float, float]] = []
    for track in plan.tracks:
        level = amplitude(track.fader_db + plan.main_db)
        rows += [(left * level, right * level) for left, right in pan_gains(track.pan, len(track.inputs))]
    return np.array(rows, np.float32).reshape(-1, 2).T.copy()


def channel_inputs(plan: Plan) -> NDArray[np.intp]:
    """The input that feeds each track channel, tracks in order."""
    return np.array([i for track in plan.tracks for i in track.inputs], np.intp)


def channel_tracks(plan: Plan) -> NDArray[np.intp]:
    """The place in ``plan.tracks`` that each track channel belongs to."""
    return np.array([place for place, track in enumerate(plan.tracks) for _ in track.inputs], np.intp)

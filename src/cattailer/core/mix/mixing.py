"""The sums of a plan as matrices, so that the block path only multiplies.

Routing is linear and without loops, so no matter which way a signal takes through groups, and through
tracks that are fed by groups, one matrix from sources and one from takes
give every mix and every feeder.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cattailer.core.patch.ends import group_end, mix_end, track_end
from cattailer.core.plan import NOTHING, SOFTWARE_CHANNELS, Plan
from cattailer.core.units import amplitude

Gains = NDArray[np.float32]


@dataclass(frozen=True)
class Sums:
    """Gains into the mixes (two rows each) and, below them, the feeders (two rows each).

    ``hardware`` has a column for each input, ``software`` for each channel of the pattern player,
    ``takes`` for each track channel.
    """

    hardware: Gains
    software: Gains
    takes: Gains


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


def channel_tracks(plan: Plan) -> NDArray[np.intp]:
    """The place in ``plan.tracks`` that each track channel belongs to."""
    return np.array([place for place, track in enumerate(plan.tracks) for _ in track.inputs], np.intp)


def sums(plan: Plan, state: str) -> Sums:
    """What is heard in a state of the transport: "stopped", "rolling" or "capturing".

    Stopped, every track sounds what feeds it. Rolling, it sounds what was captured; capturing,
    armed tracks sound what feeds them. A track without takes that is fed from inside (pattern
    player or group) is always heard live: there is nothing else to hear on it.
    """
    places = channel_tracks(plan)
    armed = np.array([t.armed for t in plan.tracks], bool)[places]
    taken = {p.track for p in plan.pieces}
    fresh = [t.id not in taken and any(i >= plan.inputs for i in t.inputs) for t in plan.tracks]
    inside = np.array(fresh, bool)[places]
    live = {"stopped": np.ones(len(places), bool), "rolling": inside, "capturing": armed | inside}[state]
    heard = np.zeros(len(places), bool) if state == "stopped" else ~live
    return _flatten(plan, live, heard)


def _flatten(plan: Plan, live: NDArray[np.bool_], heard: NDArray[np.bool_]) -> Sums:
    """z = [track channels; group sides] = B z + P x + Q l, so z = (I - B)^-1 (P x + Q l)."""
    tracks = len(live)
    group_at = {group_end(g.id): tracks + 2 * n for n, g in enumerate(plan.groups)}
    size = tracks + 2 * len(plan.groups)
    hardware = plan.inputs + SOFTWARE_CHANNELS
    ways = np.zeros((size, size))
    fed = np.zeros((size, hardware))
    mixes = np.zeros((2 * len(plan.mixes), size))
    mix_at = {mix_end(m.id): 2 * n for n, m in enumerate(plan.mixes)}
    mix_gain = {mix_end(m.id): amplitude(m.fader_db) for m in plan.mixes}

    channels: dict[str, list[tuple[int, float, float]]] = {}
    row = 0
    for track in plan.tracks:
        level = amplitude(track.fader_db)
        gains = pan_gains(track.pan, len(track.inputs))
        channels[track_end(track.id)] = [(row + n, a * level, b * level) for n, (a, b) in enumerate(gains)]
        for source in track.inputs:
            if NOTHING < source < hardware:
                fed[row, source] = live[row]
            elif source >= hardware:
                feeder, side = divmod(source - hardware, 2)
                ways[row, group_at[group_end(plan.feeders[feeder])] + side] = live[row]
            row += 1
    faders = {group_end(g.id): amplitude(g.fader_db) for g in plan.groups}
    for key, at in group_at.items():
        channels[key] = [(at, faders[key], 0.0), (at + 1, 0.0, faders[key])]
    for start, target in plan.routes:
        if start not in channels or (target not in group_at and target not in mix_at):
            continue
        table, to, level = (
            (ways, group_at[target], 1.0) if target in group_at else (mixes, mix_at[target], mix_gain[target])
        )
        for at, left, right in channels[start]:
            table[to, at] += left * level
            table[to + 1, at] += right * level
    through = np.linalg.inv(np.eye(size) - ways) if size else np.zeros((0, 0))
    feeders = np.zeros((2 * len(plan.feeders), size))
    for n, group in enumerate(plan.feeders):
        feeders[2 * n : 2 * n + 2, group_at[group_end(group)] : group_at[group_end(group)] + 2] = np.eye(2)
    out = np.concatenate([mixes, feeders]) @ through
    from_sources, from_takes = out @ fed, out[:, :tracks] * heard
    return Sums(_ready(from_sources[:, : plan.inputs]), _ready(from_sources[:, plan.inputs :]), _ready(from_takes))


def _ready(gains: NDArray[np.float64]) -> Gains:
    return np.ascontiguousarray(gains, np.float32)

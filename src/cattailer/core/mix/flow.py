"""The way of a signal through a plan: voices, then levels of *matrix, then effects*, then the mixes.

A *voice* is a track as one kind of listener hears it: live, captured, or both. Everything linear between voices,
effects and mixes is worked out once and lies in one matrix a level. A plan without effects is one matrix.

Columns of all matrices are the voices' channels and, after them, the outputs of effects, in the order of the levels.
Rows of the last one are the mixes (two each), then what feeds tracks: twice two rows for each feeder, first what comes
in live, then what is made inside, because the latter waits a round trip before it can be captured.
"""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.effects import Effects
from cattailer.core.mix.listening import AUTO, STILL, THROUGH, heard
from cattailer.core.patch.ends import track_end
from cattailer.core.plan import Plan

Floats = NDArray[np.float32]
Places = NDArray[np.intp]


@dataclass(frozen=True)
class Voice:
    """``track`` is the place in the plan, ``OF_CLICK`` or ``OF_GUIDE``. ``feed``: for capture, whatever ears choose.
    ``printed``: takes that have their effects in them."""

    track: int
    when: str = AUTO
    live: bool = True
    captured: bool = True
    raw: bool = False
    feed: bool = False
    printed: bool = False


OF_CLICK, OF_GUIDE = -1, -2
VOICE = "voice"
"""Begins the key of a voice, before the track's id."""
APART = " in the main mix"
"""Ends the key of effects on a group or return that sounds otherwise in the main mix than in ears."""


@dataclass(frozen=True)
class Insert:
    """Effects on some rows of a level: one, or two for a pair. ``key`` tells inserts apart, from plan to plan."""

    key: str
    first: int
    channels: int
    effects: Effects


@dataclass(frozen=True)
class Level:
    """Rows [first, stop) of the effects' outputs.

    ``fed`` are rows of voices that a group feeds, ``fed_by`` the channels of those voices: there the gate of the voice
    acts on what the matrix sums, and what was captured is added. ``straight`` are the channels of the voices that the
    rows are, where that is all there is to sum.
    """

    first: int
    stop: int
    inserts: tuple[Insert, ...]
    fed: Places
    fed_by: Places
    straight: Places | None


@dataclass(frozen=True)
class Flow:
    """``source`` is each voice channel's column among what comes in live, ``place`` its row among what was captured;
    the column and row after the last are silent. ``live`` and ``play`` are their gains where they are heard.

    ``voice_of`` and ``track_of`` say to which voice, and to which track of the plan, each channel belongs.
    ``matrices`` has one for each level and one for the mixes. ``key`` is the same for flows that differ in gains and
    settings only.
    """

    key: tuple[object, ...]
    voices: tuple[Voice, ...]
    voice_of: Places
    track_of: Places
    source: Places
    place: Places
    live: Floats
    play: Floats
    levels: tuple[Level, ...]
    matrices: tuple[Floats, ...]
    mixes: int
    feeders: int
    path: str = THROUGH
    gates: dict[str, tuple[Floats, Floats]] = field(default_factory=dict, repr=False, compare=False)
    """What ``gates`` worked out, by moment."""

    @property
    def channels(self) -> int:
        return len(self.voice_of)

    @property
    def effect_rows(self) -> int:
        return self.levels[-1].stop if self.levels else 0


def end_of_insert(key: str) -> str:
    """The end on which an insert with this key stands."""
    kind, _, rest = key.partition(" ")
    return track_end(rest.partition(" ")[0]) if kind == VOICE else kind


def gates(flow: Flow, plan: Plan, moment: str) -> tuple[Floats, Floats]:
    """What is heard of each voice channel in a moment, live and captured: shapes (2, channels), by whether something
    lies on its track there."""
    if moment not in flow.gates:
        flow.gates[moment] = _gates(flow, plan, moment)
    return flow.gates[moment]


def _gates(flow: Flow, plan: Plan, moment: str) -> tuple[Floats, Floats]:
    live, play = np.zeros((2, len(flow.voices)), np.float32), np.zeros((2, len(flow.voices)), np.float32)
    for n, voice in enumerate(flow.voices):
        if voice.track < 0:
            live[:, n] = 1.0
            continue
        track = plan.tracks[voice.track]
        inside = is_inside(plan, voice.track)
        for lies in (0, 1):
            got = heard(flow.path, voice.when, track.armed, moment, bool(lies), inside)
            live[lies, n] = voice.live and (got.direct or got.through)
        # Where nothing lies nothing sounds, so its gain need not move.
        play[:, n] = voice.captured and heard(THROUGH, voice.when, track.armed, moment, True, inside).captured
    if moment in STILL:
        play[:] = [v.captured for v in flow.voices]  # nothing is played, so nothing need move either
    return live[:, flow.voice_of], play[:, flow.voice_of]


def is_inside(plan: Plan, place: int) -> bool:
    """Whether a track is fed by what is made inside: the pattern player or a group."""
    return any(i >= plan.inputs for i in plan.tracks[place].inputs)


def depends_on_takes(plan: Plan) -> list[int]:
    """Places of the tracks that are heard live only where nothing lies on them."""
    def differs(place: int) -> bool:
        track = plan.tracks[place]
        return (track.armed or is_inside(plan, place)) and any(i >= 0 for i in track.inputs)

    return [n for n in range(len(plan.tracks)) if differs(n)]

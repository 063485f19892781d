"""Frames as pages are told them: what changed since the frame before, of meters in sight only, and no faster than a
page takes them. A slow network shows fewer frames, never old ones."""

import json
import math
import time
from collections.abc import Collection, Mapping
from typing import Any

from cattailer.core.access.rights import EVERYTHING, Rights
from cattailer.core.sound.meters import NO_SIGNAL_DBFS

MOST_UNTAKEN = 4
"""So many frames may be on their way to a page: thirty a second still come where an answer takes 0.13 s."""
LATE_S = 0.5
"""A page that takes a frame later than this is on a network that sound would fill."""
PATIENCE_S = 1.0
"""To whoever takes nothing a frame is sent this often: it tells a page that its line is open."""
CALM_S = 0.12
"""Between frames for a page that wants less motion; what the engine does is told at once."""
LEVELS = frozenset({"inputs", "pairs", "channel"})
NOTHING = int(10 * NO_SIGNAL_DBFS)
SILENT = (NOTHING, NOTHING, 0), (NOTHING, NOTHING, 0, 0.0, "none")

Reading = tuple[tuple[Any, ...], tuple[Any, ...]]
"""Of a meter: what moves all the time (peak and RMS in tenths of a dB, crest in dB), and what seldom does (held peak
and maximum in tenths of a dB, clips, when it clipped, and the zone)."""


class Shown:
    """A frame of the engine, made ready once for all pages."""

    def __init__(self, frame: Mapping[str, Any]) -> None:
        self.values = {name: value for name, value in frame.items() if name not in LEVELS}
        self.values["t"] = round(frame["t"], 3)
        self._frame = frame
        self._readings: dict[str, Reading] = {}

    def reading(self, meter: str) -> Reading:
        """``meter``: a channel from 0, a pair with a comma, or what else the frame's pairs are called; then, after a
        slash, the track behind whose channel it reads when meters do."""
        found = self._readings.get(meter)
        if found is None:
            found = self._readings[meter] = _packed(*self._levels(meter))
        return found

    def _levels(self, meter: str) -> tuple[Mapping[str, Any], int | None]:
        """Levels, and which row of them."""
        name, _, track = meter.partition("/")
        channel = self._frame["channel"]
        if channel is not None and track.isdecimal() and int(track) in channel["ids"]:
            return channel, channel["ids"].index(int(track))
        inputs = self._frame["inputs"]
        if name in self._frame["pairs"]:
            return self._frame["pairs"][name], None
        return (inputs, int(name)) if name.isdecimal() and int(name) < len(inputs["peak"]) else ({}, None)


def _packed(levels: Mapping[str, Any], row: int | None) -> Reading:
    def of(name: str) -> Any:
        return levels[name] if row is None else levels[name][row]

    if not levels or (of("max") <= NO_SIGNAL_DBFS and not of("clips")):
        return SILENT
    quick = SILENT[0] if of("peak") <= NO_SIGNAL_DBFS else (_tenths(of("peak")), _tenths(of("rms")), round(of("crest")))
    return quick, (_tenths(of("hold")), _tenths(of("max")), of("clips"), of("clipped_at"), of("zone"))


def _tenths(db: float) -> int:
    return round(10 * max(db, NO_SIGNAL_DBFS))


class Pace:
    """What one page was told of frames, and how many of them it has taken."""

    def __init__(self, rights: Rights = EVERYTHING) -> None:
        self._rights, self.calm = rights, False
        self._meters: Collection[str] = ()
        self._told: dict[str, Any] = {}
        self._readings: dict[str, Reading] = {}
        self._waiting: Shown | None = None
        self._sent = self._taken = 0
        self._sent_at = -math.inf
        self._on_the_way: dict[int, float] = {}
        """When each frame was sent that was not taken yet."""

    def see(self, meters: Collection[str]) -> None:
        """These are in sight from now on."""
        self._meters = meters
        self._readings = {meter: was for meter, was in self._readings.items() if meter in set(meters)}

    def take(self, number: int) -> None:
        """The page has taken the frame of that number."""
        self._taken = min(max(self._taken, number), self._sent)
        self._on_the_way = {n: at for n, at in self._on_the_way.items() if n > self._taken}

    @property
    def late(self) -> bool:
        """Whether what is sent now would come late. Whoever never takes a frame is asked for nothing."""
        first = next(iter(self._on_the_way.values()), math.inf)
        return self._taken > 0 and time.monotonic() - first > LATE_S

    def newest(self, frame: Shown) -> None:
        """What waited before is forgotten."""
        self._waiting = frame

    def next(self) -> str | None:
        """What is told now: nothing where nothing waits, or the page has not taken enough yet."""
        now = time.monotonic()
        if self._waiting is None:
            return None
        on_the_way = [*self._on_the_way.values()]
        if len(on_the_way) >= MOST_UNTAKEN and now - on_the_way[-1] < PATIENCE_S:
            return None
        if self.calm and now - self._sent_at < CALM_S and self._waiting.values["state"] == self._told.get("state"):
            return None
        self._sent_at = now
        frame, self._waiting = self._waiting, None
        self._sent += 1
        self._on_the_way = dict([*self._on_the_way.items(), (self._sent, now)][-MOST_UNTAKEN:])
        return self._changes(frame)

    def _changes(self, frame: Shown) -> str | None:
        values = self._rights.told(frame.values)
        if values is None:
            return None
        changed = {name: value for name, value in values.items() if self._told.get(name, self) != value}
        self._told = dict(values)
        message: dict[str, Any] = {"topic": "frame", "n": self._sent, **changed}
        if self._rights.whole and (moved := self._moved(frame)):
            message["meters"] = moved
        return json.dumps(message, separators=(",", ":"), ensure_ascii=False)

    def _moved(self, frame: Shown) -> dict[str, list[Any]]:
        """Of the meters in sight: what moves, and after it what seldom does where that changed."""
        moved = {}
        for meter in self._meters:
            now = frame.reading(meter)
            before = self._readings.get(meter)
            if now != before:
                self._readings[meter] = now
                moved[meter] = [*now[0], *(now[1] if before is None or now[1] != before[1] else ())]
        return moved

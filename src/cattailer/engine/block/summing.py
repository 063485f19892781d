"""A flow as the block path runs it: voices, levels, mixes, all channels at once, with gains that glide.

Every change of gain is a step of its own along the same curve, added to those that are still under way; so changes that
overlap never step, however many there are.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.flow import Flow, gates
from cattailer.core.plan import Plan
from cattailer.core.sound.curves import along, gliding
from cattailer.engine.effects.rack import Rack, Wanted

Floats = NDArray[np.float32]
Places = NDArray[np.intp]


@dataclass(frozen=True)
class Change:
    """How one matrix differs from another: only the rows and columns that do. ``by`` is new less old."""

    matrix: int
    rows: Places
    columns: Places
    by: Floats


def changes(old: Sequence[Floats], new: Sequence[Floats]) -> list[Change]:
    out = []
    for n, (a, b) in enumerate(zip(old, new, strict=True)):
        if a is b:
            continue
        by = b - a
        rows, columns = np.flatnonzero(by.any(axis=1)), np.flatnonzero(by.any(axis=0))
        if len(rows):
            out.append(Change(n, rows, columns, np.ascontiguousarray(by[np.ix_(rows, columns)])))
    return out


class _Step:
    def __init__(self, live: Floats, play: Floats, made: Sequence[Change]) -> None:
        self.done = 0
        self.live, self.play = live, play
        self.live_rows, self.play_rows = np.flatnonzero(live), np.flatnonzero(play)
        self.made = made


class Summing:
    """Belongs to the block path; made off it. ``out`` is what the last block gave, (rows of the mixes, samples)."""

    def __init__(self, flow: Flow, plan: Plan) -> None:
        self.flow = flow
        self._curve = gliding(plan.rate_hz)
        self._table = np.zeros((flow.channels + flow.effect_rows, plan.period), np.float32)
        self._second = np.zeros((flow.channels, plan.period), np.float32)
        self.out = np.zeros((len(flow.matrices[-1]), plan.period), np.float32)
        self.racks = [Rack(level, plan.rate_hz, plan.period) for level in flow.levels]
        self.matrices = list(flow.matrices)
        self._live, self._play = np.zeros(flow.channels, np.float32), np.zeros(flow.channels, np.float32)
        self._live_column = self._live[:, None]
        self._of: tuple[Flow, str, str, int] | None = None
        self._steps: list[_Step] = []
        self._feeds = np.array([flow.voices[v].feed for v in flow.voice_of], bool)

    @property
    def moving(self) -> bool:
        return bool(self._steps)

    def settings(self, flow: Flow) -> list[Wanted]:
        """What the effects are set to by a flow of the same key; made off the block path."""
        return [rack.settings(level) for rack, level in zip(self.racks, flow.levels, strict=True)]

    def retarget(self, flow: Flow, made: Sequence[Change], settings: Sequence[Wanted]) -> None:
        """From now on gains glide to those of another flow of the same key."""
        for rack, wanted in zip(self.racks, settings, strict=True):
            rack.ask(wanted)
        self.flow, self.matrices = flow, list(flow.matrices)
        if made:
            nothing = np.zeros(0, np.float32)
            self._steps.append(_Step(nothing, nothing, made))

    def gate(self, plan: Plan, moment: str, feeding: str, lies: Places, segment: int, silent: bool) -> None:
        """What is heard of live inputs and takes in this block. ``lies`` (tracks of the plan): 1 where something lies,
        the same for one ``segment``. Where nothing was played so far (``silent``), takes and software sources come as
        they are, and do not glide."""
        of = (self.flow, moment, feeding, segment)
        if self._of is not None and of[0] is self._of[0] and of[1:] == self._of[1:]:
            return
        first, flow = self._of is None, self.flow
        self._of = of
        live, play = self._targets(plan, moment, feeding, lies)
        by_live, by_play = live - self._live, play - self._play
        self._live, self._play, self._live_column = live, play, live[:, None]
        if first:
            return
        if silent:
            by_play[:] = 0.0
            by_live[flow.source >= plan.inputs] = 0.0
        if by_live.any() or by_play.any():
            self._steps.append(_Step(by_live, by_play, ()))

    def _targets(self, plan: Plan, moment: str, feeding: str, lies: Places) -> tuple[Floats, Floats]:
        flow = self.flow
        live, play = gates(flow, plan, moment)
        channels, at = np.arange(flow.channels), lies[flow.track_of]
        a, b = live[at, channels], play[at, channels]
        if feeding != moment and self._feeds.any():
            live, play = gates(flow, plan, feeding)
            a = np.where(self._feeds, live[at, channels], a)
            b = np.where(self._feeds, play[at, channels], b)
        return flow.live * a, flow.play * b

    def voices(self, incoming: Floats, takes: Floats | None) -> None:
        """``incoming`` (columns, samples): what comes in live, its last row silent; ``takes`` (rows, samples)."""
        flow, count = self.flow, incoming.shape[1]
        sound = self._table[: flow.channels, :count]
        np.take(incoming, flow.source, axis=0, out=sound, mode="clip")
        weights = [1.0 - along(self._curve, step.done, count) for step in self._steps]
        kept = [
            (s.live_rows, w * (s.live[s.live_rows, None] * sound[s.live_rows]))
            for s, w in zip(self._steps, weights, strict=True) if len(s.live_rows)
        ]
        sound *= self._live_column
        for rows, part in kept:
            sound[rows] -= part
        if takes is not None:
            silent = len(takes)
            played = self._second[:, :count]
            np.take(takes, flow.place, axis=0, out=played, mode="clip")
            gains = np.where(flow.place < silent, self._play, np.float32(0.0))[:, None]
            for step, weight in zip(self._steps, weights, strict=True):
                if len(step.play_rows):
                    rows = step.play_rows
                    sound[rows] -= weight * (step.play[rows, None] * played[rows])
            played *= gains
            sound += played

    def level(self, n: int, count: int) -> Floats:
        """Sums what goes into the effects of a level; afterwards they may change it in place."""
        level, matrix = self.flow.levels[n], self.matrices[n]
        table = self._table[:, :count]
        block = table[self.flow.channels + level.first : self.flow.channels + level.stop]
        if level.straight is not None:
            np.take(table, level.straight, axis=0, out=block, mode="clip")
            return block
        came = matrix[:, : self.flow.channels + level.first] @ table[: self.flow.channels + level.first]
        self._glide(n, came, table)
        if len(level.fed):
            gains = np.repeat(self._live[level.fed_by, None], count, axis=1)
            for step in self._steps:
                if len(step.live):
                    gains -= (1.0 - along(self._curve, step.done, count)) * step.live[level.fed_by, None]
            came[level.fed] = came[level.fed] * gains + table[level.fed_by]
        block[:] = came
        return block

    def mixes(self, count: int) -> Floats:
        table, out = self._table[:, :count], self.out[:, :count]
        np.matmul(self.matrices[-1], table, out=out)
        self._glide(len(self.matrices) - 1, out, table)
        return out

    def _glide(self, n: int, rows: Floats, table: Floats) -> None:
        for step in self._steps:
            for change in step.made:
                if change.matrix == n:
                    weight = 1.0 - along(self._curve, step.done, rows.shape[1])
                    rows[change.rows] -= weight * (change.by @ table[change.columns])

    def went_on(self, count: int) -> None:
        for step in self._steps:
            step.done += count
        if self._steps and self._steps[0].done >= len(self._curve):
            self._steps = [s for s in self._steps if s.done < len(self._curve)]

    def run(self, incoming: Floats, takes: Floats | None) -> Floats:
        """A block of a flow that stands alone."""
        count = incoming.shape[1]
        self.voices(incoming, takes)
        for n, rack in enumerate(self.racks):
            rack.process(self.level(n, count))
        return self.mixes(count)

"""Captures that begin with sound, or last as long as there is some.

A thread looks for it in the ring, so the block path has nothing to do with it, and how late it is found is no matter.
"""

import numpy as np

from cattailer.core.sound.gate import BEGINS, Edge, Gate
from cattailer.core.takes.course import SOUND, Course
from cattailer.core.transport import CAPTURING, PRE_ROLL, WAITING
from cattailer.engine.block.engine import Engine
from cattailer.engine.runs.captures import Captures
from cattailer.engine.runs.making import Making
from cattailer.engine.runs.pauses import FOREVER
from cattailer.engine.writing.runwriter import RunWriter

CHUNK = 48000


class SoundCaptures(Captures):
    """The first stretch of sound begins where the timeline stands, and lets it roll; those that follow lie where they
    were."""

    def __init__(self, engine: Engine, course: Course, making: Making, stood: tuple[int, int]) -> None:
        super().__init__(engine, course, making, stood)
        self._gate = Gate(course.threshold, course.before, course.gap, course.tail)
        self._rows = np.array(sorted({i for f in making.header.files for i in f.inputs}), np.intp)
        self._heard = 0
        self._at: tuple[int, int] | None = None
        """A ring sample, and the timeline position that comes in there."""
        self._last: RunWriter | None = None
        self._most = FOREVER
        """The ring sample at which the stretch that goes on would be more than is wanted of all of them."""
        self._left = FOREVER if course.limit is None else course.limit

    def begin(self) -> None:
        super().begin()
        self._heard = self.engine.ring.written

    def follow(self) -> None:
        ring = self.engine.ring
        while self.going and self._heard < (until := min(ring.written, self.until, self._heard + CHUNK)):
            block = ring.read(self._heard, until, self._rows)
            if block is None:  # so long ago that it is gone
                self._heard = max(ring.oldest, self._heard + 1)
                continue
            for edge in self._gate.feed(block, self._heard):
                self._take(edge)
            self._heard = until
            if self._last is not None and self.course.begin != SOUND:
                kept = self._gate.kept_until if self._gate.open else self._last.held
                self._last.held = None if kept is None else min(kept, self._most)
                if self._last.held == self._most and self._heard >= self._most:
                    self._enough()
        if self.until < FOREVER and self._heard >= self.until:
            self.going = False
            if self._last is not None and self._last.held is not None:
                self._last.finish(min(self.until, self._last.held))
                self._last.held = None

    def go_on_in(self, new: RunWriter, old: RunWriter, first: int) -> None:
        if self._last is old:
            self._last = new
        super().go_on_in(new, old, first)

    def _take(self, edge: Edge) -> None:
        if not self.going or edge.sample >= self.until:
            return
        only = self.course.begin == SOUND
        if edge.kind != BEGINS:
            if self._last is not None:
                if edge.sample >= self._most:
                    self._enough()
                    return
                self._left = self._most - edge.sample
                self._last.finish(edge.sample)
                self._last.held = None
                self._last = None
            self.soon(lambda: self._state(PRE_ROLL))
        elif self._at is None:
            self._at, self._last = (edge.sample, self.start), self.runs[-1]
            self._last.held = None if only else edge.sample
            self._most = FOREVER if only else edge.sample + self._left
            self.soon(lambda: self._sounded(edge.sample))
            self.going = not only
        elif (run := self.make_next(self._at[1] + edge.sample - self._at[0])) is not None:
            self._last, run.held, self._most = run, edge.sample, edge.sample + self._left
            self.soon(lambda: self._goes_on(run, edge.sample))

    def _enough(self) -> None:
        """All that was wanted is kept."""
        assert self._last is not None
        self._last.finish(self._most)
        self._last.held, self._last, self.going = None, None, False
        self.soon(self.engine.stop)

    # --- in the block path --------------------------------------------------------------------------------------------

    def _sounded(self, first: int) -> None:
        """The timeline jumps to where it would be if it had begun with the sound."""
        engine, transport, run = self.engine, self.engine.transport, self.runs[-1]
        if transport.state != WAITING:
            return
        transport.position = self.start + engine.ring.written + self._trip - first
        engine.go()
        transport.origin = self.start
        engine.place_run(run, first, self.course.limit if self.course.begin == SOUND else None)
        engine.more = self.course.begin != SOUND
        if self.course.limit is not None and self.course.begin == SOUND:
            transport.left = first + self.course.limit - self._trip - engine.ring.written

    def _goes_on(self, run: RunWriter, first: int) -> None:
        self.attach(run, first, None)
        self._state(CAPTURING)

    def _state(self, state: str) -> None:
        if self.engine.transport.state in (CAPTURING, PRE_ROLL):
            self.engine.transport.state = state

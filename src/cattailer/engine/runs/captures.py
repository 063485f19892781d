"""One press of Capture: the runs that it makes, one for each pass or punch.

A run is a stretch of the ring, and the ring holds much longer than opening files takes. So the files of what comes next
are opened by a thread of its own; the block path only moves the timeline.
"""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from cattailer.core.errors import NotNow
from cattailer.core.takes.course import JOIN_S, NOW, ROLLS, Course
from cattailer.core.transport import ROLLING, STOPPED, WAITING
from cattailer.engine.block.engine import Engine
from cattailer.engine.runs.fallback import Fallback
from cattailer.engine.runs.making import (
    Making,
    make_count,
    make_following,
    make_lead_in,
    make_lead_out,
    make_run,
)
from cattailer.engine.runs.pauses import FOREVER, Pauses
from cattailer.engine.sources.click import Count
from cattailer.engine.writing.runwriter import RunWriter
from cattailer.media.journal import RunHeader

PATIENCE_S = 30.0
"""For so long files that cannot be opened are tried again: what belongs in them is still held."""
MOVED = "The position was moved just now, so nothing was captured. Press Capture again."
LOST_PASS = "The files of what comes next could not be opened ({}). The capture was stopped; all until then is kept."


class Captures:
    """``open`` is called off the block path, then ``begin`` in it; ``pump`` by a thread. ``stood`` is a ring sample and
    the timeline's position there, when Capture was pressed."""

    def __init__(self, engine: Engine, course: Course, making: Making, stood: tuple[int, int]) -> None:
        self.engine, self.making, self._stood = engine, making, stood
        self.moving = engine.transport.state == ROLLING
        self.course = replace(course, begin=NOW) if self.moving and course.begin == ROLLS else course
        self._count: Count | None = None
        self.start = stood[1] if self.moving or course.start is None else course.start
        self.until = FOREVER
        """Nothing is captured from this ring sample on."""
        self.going = True
        """Whether more runs may follow."""
        self.spans = self.course.spans(self.start)
        self._samples: int | None = None
        self._pre = 0 if self.moving else course.pre_roll
        by_hand = self.moving and not course.loops and not course.waits
        self._joins = round(JOIN_S * engine.plan.rate_hz) if course.joins or by_hand else 0
        self.header = making.header
        self.runs: list[RunWriter] = []
        self._before: RunWriter | None = None
        self._lead_outs: list[RunWriter] = []
        """Runs that something is to be kept after."""
        self.stray: list[RunWriter] = []
        """Runs that were opened for nothing."""
        self._next = self._trip = self._try_at = 0
        self._asked = self._answered = 0
        """By the thread and by the block path, so that none counts on the other's count."""
        self._span: tuple[int, int | None] | None = None
        self._pauses = Pauses(self)
        self._fallback = Fallback()

    @property
    def positions(self) -> list[int]:
        """Where the timeline will begin to move, and where it goes round to."""
        first = self.course.first
        return [self.start - self._pre, *([first] if self.course.loops and first is not None else [])]

    @property
    def done(self) -> bool:
        waits = self.going or self._lead_outs or self.stray or self._asked != self._answered
        return not waits and not self._fallback.waits(self.runs) and all(run.ended for run in self.runs)

    # --- off the block path -------------------------------------------------------------------------------------------

    def open(self) -> None:
        """Opens the files of the first run. Raises OSError."""
        self._count = None if self.course.waits else self.make_count()
        _, self._samples = next(self.spans)
        self.header = replace(self.making.header, start=self.start, roll=self.making.header.run)
        run = make_run(self.engine, self.making.folder, self.making.stem, self.header)
        try:
            held = min(self._joins, self.engine.ring.written + self._pre)
            lead = self._count.lead if self._count is not None and not self._pre else held
            self._before = make_lead_in(self.engine, run, lead) if lead else None
        except BaseException:
            run.files.take_away()
            raise
        run.fallback = self.making.fallback
        self.runs.append(run)

    def take_away(self) -> None:
        """What was opened and never began."""
        for run in (self._before, *self.runs):
            if run is not None:
                run.files.take_away()

    def pump(self) -> None:
        """Opens the files of what comes next, and says to the block path where it begins."""
        while self.stray:
            self.stray.pop().files.take_away()
        if failed := [run for run in self.runs if run.message]:
            self._after_failure(failed)
        if self.going:
            self.follow()
        for run in [r for r in self._lead_outs if r.ended or r.off]:
            self._lead_outs.remove(run)
            self._keep_after(run)

    def go_from(self, start: int, samples: int | None) -> None:
        """Where the next pass begins, and how long it will be."""
        self.start, self._samples = start, samples

    def _after_failure(self, failed: list[RunWriter]) -> None:
        if any(run.fallback is None for run in failed):
            if self.going or self.engine.falls_back:
                self._give_up()
            return
        self._fallback.take_up(self, failed)

    def go_on_in(self, new: RunWriter, old: RunWriter, first: int) -> None:
        """The rest of a run that failed."""
        rest = None if old.stop is None else old.stop - first
        self.soon(lambda: self.attach(new, first, rest))

    def make_ready(self, new: RunWriter, old: RunWriter) -> None:
        """In place of a run that failed before it began; it may have begun meanwhile."""
        def ask() -> None:
            if self.until < FOREVER:
                self.stray.append(new)
                return
            self.engine.add_run(new)
            if old.first is not None and new.first is None:
                self.engine.place_run(new, old.first, None if old.stop is None else old.stop - old.first)

        self.soon(ask)

    def follow(self) -> None:
        """What may follow what is captured now."""
        if self.until < FOREVER and not self._may_follow():
            self.going = False
        elif not self.course.loops:
            self.going = self.runs[-1].first is None
        elif self.course.pauses:
            self._pauses.pump()
            self.going = self._pauses_after or self.runs[-1].first is None
        elif (first := self.runs[-1].first) is not None and self.engine.ring.written >= first:
            self._next_pass()

    def _may_follow(self) -> bool:
        return self.course.loops and not self.course.pauses and self._next < self.until

    def _next_pass(self) -> None:
        if (span := self._span or next(self.spans, None)) is None:
            self.going = False
            self.soon(self._no_more)
            return
        self._span = span
        if self.engine.ring.written < self._try_at:
            return
        if (run := self.make_next(span[0], self._next)) is None:
            self._try_at = self.engine.ring.written + self.engine.plan.rate_hz
            return
        (_, samples), first, self._span = span, self._next, None
        assert samples is not None
        self._next += samples
        self.soon(lambda: self.attach(run, first, samples))

    def soon(self, ask: Callable[[], Any]) -> None:
        """Asks the block path; until it did, this is not done."""
        self._asked += 1

        def answer() -> None:
            self._answered += 1
            ask()

        self.engine.soon(answer)

    def make_next(self, start: int, first: int | None = None) -> RunWriter | None:
        """Opens the next pass, under the next number that is free. None where that cannot be: then the capture ends,
        at once or, where it begins at ring sample ``first``, once that will not be held for much longer."""
        run = self.make(self.header, start, first, goes_on=first is not None)
        if run is not None:
            self.header = run.header
        return run

    def make(self, before: RunHeader, start: int, first: int | None, goes_on: bool = False) -> RunWriter | None:
        """Opens the run after another; None as ``make_next``."""
        try:
            run = make_following(self.engine, self.making, before, start, goes_on)
        except OSError as why:
            if first is None or self.engine.ring.written - first > PATIENCE_S * self.engine.plan.rate_hz:
                message = LOST_PASS.format(why.strerror or why)
                self.engine.events.append({"topic": "event", "kind": "halt", "message": message})
                self._give_up()
            return None
        run.fallback = self.making.fallback
        self.runs = [r for r in self.runs if not r.done] + [run]
        return run

    def _give_up(self) -> None:
        self.going = False
        self._fallback.forget()
        self.engine.falls_back = False
        self.soon(lambda: self.engine.stop() if self.engine.capturing else None)

    def _keep_after(self, run: RunWriter) -> None:
        """What lay after a run, so that its end can be moved. It can be done without."""
        if run.off or not run.frames or run.message or run.first is None:
            return
        try:
            after = make_lead_out(self.engine, run)
        except OSError:
            return
        first = run.first + run.frames
        self.soon(lambda: self.engine.keep_run(after, first, first + self._joins))

    def make_count(self) -> Count | None:
        return make_count(self.engine, self.making.count_bars, self.start - self._pre)

    # --- in the block path --------------------------------------------------------------------------------------------

    def begin(self) -> None:
        """Raises NotNow where the timeline is somewhere else by now."""
        engine, transport = self.engine, self.engine.transport
        if transport.state != (ROLLING if self.moving else STOPPED):
            raise NotNow(MOVED)
        if self.moving and not engine.straight_since(self._stood[0]):
            raise NotNow(MOVED)
        if not self.moving and self.course.start is None and transport.position != self.start:
            raise NotNow(MOVED)
        self._trip = engine.late_samples
        engine.courses.append(self)
        engine.falls_back = self.making.fallback is not None
        engine.add_run(self.runs[-1], self._before)
        if self._joins:
            self._lead_outs.append(self.runs[-1])
        if self.course.waits:
            engine.more = True
            transport.wait()
        else:
            self.go(self._count)

    def go_on(self) -> None:
        """It was waited for this. Raises NotNow where something else is waited for."""
        if self.engine.transport.state != WAITING or self._pauses.standing:
            raise NotNow("There is nothing that waits for this.")
        self.go(self._count)

    def go(self, count: Count | None) -> None:
        engine, transport, course, run = self.engine, self.engine.transport, self.course, self.runs[-1]
        loops = course.loops and not course.pauses and course.until is not None and self.start < course.until
        end = None if loops or self._samples is None else self.start + self._samples
        if self.moving and not course.waits:
            at = self._stood[0]
            engine.go()
        else:
            transport.position = self.start - self._pre
            transport.punch = (self.start, end) if self._pre or course.post_roll else None
            engine.go(count)
            transport.origin = self.start
            at = engine.ring.written + self.start - transport.position
        first = self.start if course.first is None else course.first
        transport.loop = (first, course.until) if loops and course.until is not None else None
        engine.place_run(run, at + self._trip, self._samples)
        self._next = at + self._trip + (self._samples or 0)
        engine.more = loops
        engine.again = self._pauses_after
        samples = course.samples(self.start) if loops else self._samples
        transport.left = None if samples is None else at + samples + course.post_roll - engine.ring.written

    @property
    def _pauses_after(self) -> bool:
        return self.course.pauses and (not self.course.passes or self.header.pass_number < self.course.passes)

    def _no_more(self) -> None:
        self.engine.more = False

    def attach(self, run: RunWriter, first: int, samples: int | None) -> None:
        """What follows begins at ring sample ``first``, if it has not been stopped before that."""
        engine = self.engine
        if first >= self.until:
            self.stray.append(run)
        elif self.until < FOREVER:
            engine.keep_run(run, first, self.until if samples is None else min(first + samples, self.until))
        else:
            engine.add_run(run)
            engine.place_run(run, first, samples)

    def finish(self, sample: int) -> None:
        """Nothing is captured from ring sample ``sample`` on."""
        self.until = min(self.until, sample)

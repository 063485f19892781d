"""The engine: the block path, and what may be asked of it between blocks."""

import threading
from collections import deque
from collections.abc import Callable, Sequence
from typing import Any, Protocol, TypeVar

from cattailer.core.errors import NotNow
from cattailer.core.plan import Plan
from cattailer.core.transport import ROLLING
from cattailer.engine.block.blockpath import BlockPath
from cattailer.engine.block.prepared import Prepared, prepare
from cattailer.engine.driver import Driver
from cattailer.engine.sources.click import Count
from cattailer.engine.sources.guide import Tone
from cattailer.engine.sources.playback import Playback, same_pieces
from cattailer.engine.sources.probe import Probe
from cattailer.engine.writing.prints import Prints, printing
from cattailer.engine.writing.runwriter import RunWriter
from cattailer.media.disk import REAL, Disk

MOST_AGO_S = 2
"""A press that is said to be longer ago is not believed."""
T = TypeVar("T")


class Course(Protocol):
    """What makes the runs of a capture; see ``captures.py``."""

    @property
    def done(self) -> bool: ...
    def pump(self) -> None: ...
    def finish(self, sample: int) -> None: ...


class Engine(BlockPath):
    """What other threads ask, and the disk work that they do."""

    def __init__(self, driver: Driver, plan: Plan, disk: Disk = REAL) -> None:
        super().__init__(driver, plan, disk)
        self._going_to: list[int] = []
        self.prints = Prints(self.ring, plan.rate_hz, printing(plan))
        self.again = False
        """Whether a capture goes on after a pause."""
        self.courses: deque[Course] = deque()
        """Captures that still make runs, the newest last."""
        self._looking = threading.Lock()
        """Held while reading ahead, from settling where to look until it is there; never by the block path."""

    def between_blocks(self, ask: Callable[[], T], timeout_s: float = 5.0) -> T:
        """Runs ``ask`` in the block path at the next boundary and returns its answer."""
        return self._requests.wait_for(ask, timeout_s)

    def soon(self, ask: Callable[[], Any]) -> None:
        """As ``between_blocks``, without waiting; for callers that drive the clock themselves."""
        self._requests.soon(ask)

    def places(self) -> list[int]:
        """Where the timeline may go next: it goes on, to what is counted in, back to where it began, round the loop."""
        transport, loop = self.transport, self.transport.loop or self.plan.loop
        places = [transport.position, max(transport.position, transport.entry), transport.origin]
        return [*places, *([loop[0]] if loop else []), *self._going_to]

    def set_plan(self, plan: Plan) -> Callable[[], None]:
        """Prepares a plan for the same hardware off the block path; the answer swaps it in."""
        old = self._prepared
        same = same_pieces(old.playback, plan.pieces) and plan.same_rows(old.plan)
        new = prepare(plan, old.playback if same else Playback(plan, old.playback), old, self.late_samples)
        other = plan.session != old.plan.session
        with self._looking:
            self._read_around(new, [0] if other else [*self.places(), *([plan.loop[0]] if plan.loop else [])])
        if plan.preamps != old.plan.preamps:
            self.driver.set_preamps(plan.preamps)
        if self.stand_in is not None and plan.tempo != old.plan.tempo:
            self.stand_in.set_tempo(plan.tempo)
        if self.stand_in is not None and new.heard != old.heard:
            self.stand_in.set_heard(new.heard)
        printed = printing(plan)
        switched = plan.preamps.phantom != old.plan.preamps.phantom

        def swap() -> None:
            self._prepared = new
            self.prints.note(self.ring.written, printed)
            if not self.capturing:
                self.transport.loop = plan.loop
                if self.run is None:
                    self._correction = plan.correction_samples
            if switched:
                self._mute.begin(self.ring.written)

        return swap

    @staticmethod
    def _read_around(prepared: Prepared, places: list[int]) -> None:
        if prepared.click is not None:
            prepared.click.pump(places)
        if prepared.patterns is not None:
            prepared.patterns.pump(places)
        prepared.playback.pump(places)

    def look_at(self, positions: list[int]) -> None:
        """Has what sounds there read ahead; until it is called with none."""
        self._going_to = positions
        if positions:
            self.read_ahead()

    def locate(self, position: int) -> None:
        """Reads what sounds there, then goes there at the next block. Not to be called in the block path."""
        try:
            self.look_at([position])
            self.between_blocks(lambda: self.transport.locate(position, self.plan.rate_hz))
        finally:
            self.look_at([])

    def since(self, pressed: int | None) -> int:
        """In the block path: how many samples ago somebody pressed, at ring sample ``pressed``, as far as the timeline
        has gone straight on since; 0 where that is not to be believed."""
        ago = self.ring.written - pressed if pressed is not None else 0
        believed = 0 < ago <= MOST_AGO_S * self.plan.rate_hz and pressed is not None and pressed >= self._straight_from
        return ago if believed else 0

    def hold_keys(self, pitches: Sequence[int]) -> Callable[[], None]:
        """Guide notes by hand, made off the block path; the answer lets go of those before and holds these."""
        tone = Tone(pitches, 0, 0, self.plan.rate_hz, self.plan.reference_hz) if pitches else None
        return lambda: self.keys.hold(tone, self.ring.written)

    def roll(self, count: Count | None = None, samples: int | None = None) -> None:
        """In the block path: rolls, after the count-in if there is one; for ``samples``, or until it is stopped."""
        self.count = self._counting(count)
        self.transport.roll(count.lead if count else 0)
        if self.transport.state == ROLLING:
            self.transport.left = samples

    def _counting(self, count: Count | None) -> Count | None:
        if count is not None and count.count_in.stop != self.transport.position:
            raise NotNow("The position was moved just now, so nothing began. Press again.")
        return count

    def straight_since(self, sample: int) -> bool:
        """In the block path: whether the timeline has gone straight on since a ring sample, or round its loop."""
        return sample >= self._straight_from

    def stands(self, pressed: int | None = None, leaves_loop: bool = False) -> tuple[int, int]:
        """In the block path: a ring sample and the position of the timeline there: now, or when somebody pressed. From
        here on it goes straight on until it stops, if it leaves its loop."""
        if leaves_loop:
            self.transport.loop = None
        ago = min(self.since(pressed), max(0, self.transport.position)) if self.transport.moving else 0
        return self.ring.written - ago, self.transport.position - ago

    def take_up_loop(self) -> None:
        """In the block path: after a capture that was refused."""
        if not self.capturing:
            self.transport.loop = self.plan.loop

    def begin_run(
        self, run: RunWriter, samples: int | None = None, count: Count | None = None, lead_in: RunWriter | None = None
    ) -> None:
        """In the block path: captures from the run's start position on, for ``samples`` if given.

        Hardware inputs arrive one round trip late, and what mixes are delayed in here. When the timeline rolls already
        it is a little past that position, and the ring still holds what belongs there. What is counted in goes to
        ``lead_in``.
        """
        if self.transport.position != run.header.start and not self.transport.moving:
            raise NotNow("The position was moved just now, so nothing was captured. Press Capture again.")
        self.add_run(run, lead_in)
        self.go(count)
        at = self.ring.written + run.header.start - self.transport.position
        self.place_run(run, at + self.late_samples, samples)

    def add_run(self, run: RunWriter, lead_in: RunWriter | None = None) -> None:
        """In the block path: it will be captured."""
        self._recorder.ready(run, lead_in)

    def go(self, count: Count | None = None) -> None:
        """In the block path: the timeline goes, after the count-in if there is one, and what is there is captured."""
        self.count = self._counting(count)
        self.transport.capture(count.lead if count else 0)

    def place_run(self, run: RunWriter, first: int, samples: int | None) -> None:
        """In the block path: a run that was added begins at ring sample ``first``. What was lost in it is marked."""
        self._recorder.begin(run, first, samples)
        for sample, lost, load in list(self.holes):
            if sample + lost > first:
                run.lost(sample, lost, load)

    def keep_run(self, run: RunWriter, first: int, stop: int) -> None:
        """In the block path: writes what the ring holds of [first, stop), and goes on with whatever it does."""
        for sample, samples, load in self.holes:
            run.lost(sample, samples, load)
        self._recorder.keep(run, first, stop)

    def open_runs(self) -> list[RunWriter]:
        return self._recorder.open_runs()

    def play_probe(self, probe: Probe) -> None:
        """In the block path: an output plays a test signal instead of its mix until it is over."""
        if self.transport.rolling:
            raise NotNow("The timeline moves, so the round trip cannot be measured. Stop first.")
        self._probe = probe

    def stop(self, pressed: int | None = None) -> RunWriter | None:
        """In the block path: stops, and ends the run where the timeline stopped, or stood when somebody pressed. What
        would only begin later is called off. Returns the run that ended."""
        run = self._finish(pressed) if self.transport.capturing else None
        self.transport.stop()
        self.transport.loop = self.plan.loop
        return run

    def end(self) -> None:
        """In the block path: as ``stop``; but where a capture goes on after a pause, it waits for that."""
        if self.again:
            self.transport.wait()
        else:
            self.stop()

    def punch_out(self, pressed: int | None = None) -> None:
        """In the block path: what is captured ends here, and the timeline rolls on. Raises NotNow where nothing is
        captured."""
        if not self.transport.capturing or not self.transport.moving:
            raise NotNow("Nothing is captured at the moment.")
        self._finish(pressed)
        self.transport.punch_out()
        self.transport.loop = self.plan.loop

    def _finish(self, pressed: int | None) -> RunWriter | None:
        sample = self.ring.written - self.since(pressed) + self.late_samples
        self.more = self.again = self.falls_back = False
        for course in self.courses:
            course.finish(sample)
        return self._recorder.finish(sample)

    def close(self) -> None:
        """Ends the driver's loop; whoever still asks for something is told at once."""
        self.going = False
        self._requests.close()

    def lose(self, why: str) -> None:
        """The interface is gone: the run ends with the last sample that came, and nothing moves any more."""
        if self.lost:
            return
        self.events.append({"topic": "event", "kind": "halt", "message": why})
        self.lost, self.going = True, False
        self._requests.close()
        self.more = self.again = self.falls_back = False
        for course in self.courses:
            course.finish(self.ring.written)
        self._recorder.finish_all(self.ring.written)
        self.transport.stop()

    def write(self) -> None:
        """The captured sound to its files. Called by a thread that does nothing else, or between blocks."""
        self.prints.advance()
        self._recorder.write()

    def keep(self) -> None:
        """Syncs captures and closes those that have ended. Called by a thread of its own, or between blocks."""
        self._recorder.sync()

    def read_ahead(self) -> None:
        """Takes from disk, patterns and ticks, before they are needed; tells when they came too late."""
        prepared = self._prepared
        for ring in (self.ring, self.mixes):
            ring.make_room(self.plan.rate_hz)
        with self._looking:
            self._read_around(prepared, self.places())
        late = prepared.playback.late + sum(s.late for s in (prepared.patterns, prepared.click) if s is not None)
        if late > self._told_late:
            self.events.append({"topic": "event", "kind": "late", "blocks": late - self._told_late})
        self._told_late = late

    def make_runs(self) -> None:
        """Opens the files of what will be captured next. Called by a thread of its own, or between blocks."""
        for course in list(self.courses):
            course.pump()
            if course.done:
                self.courses.remove(course)

    def pump(self) -> None:
        """All of it, where one thread does everything."""
        self.make_runs()
        self.write()
        self.keep()
        self.read_ahead()

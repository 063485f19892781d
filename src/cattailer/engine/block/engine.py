"""The engine: the block path, and what may be asked of it between blocks."""

import threading
from collections.abc import Callable, Sequence
from typing import Any, TypeVar

from cattailer.core.errors import NotNow
from cattailer.core.plan import Plan
from cattailer.core.transport import CAPTURING, COUNTING
from cattailer.engine.block.blockpath import BlockPath
from cattailer.engine.block.prepared import Prepared, prepare
from cattailer.engine.driver import Driver
from cattailer.engine.sources.click import Count
from cattailer.engine.sources.guide import Tone
from cattailer.engine.sources.playback import Playback, same_pieces
from cattailer.engine.sources.probe import Probe
from cattailer.engine.writing.runwriter import RunWriter
from cattailer.media.disk import REAL, Disk

MOST_AGO_S = 2
"""A press that is said to be longer ago is not believed."""
T = TypeVar("T")


class Engine(BlockPath):
    """What other threads ask, and the disk work that they do."""

    def __init__(self, driver: Driver, plan: Plan, disk: Disk = REAL) -> None:
        super().__init__(driver, plan, disk)
        self._going_to: list[int] = []
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
        new = prepare(plan, old.playback if same else Playback(plan), old, self.round_trip_samples)
        other = plan.session != old.plan.session
        with self._looking:
            self._read_around(new, [0] if other else [*self.places(), *([plan.loop[0]] if plan.loop else [])])
        if plan.preamps != old.plan.preamps:
            self.driver.set_preamps(plan.preamps)
        if self.stand_in is not None and plan.tempo != old.plan.tempo:
            self.stand_in.set_tempo(plan.tempo)
        if self.stand_in is not None and new.heard != old.heard:
            self.stand_in.set_heard(new.heard)
        effects = {t.id: t.effects for t in plan.tracks if t.prints}
        switched = plan.preamps.phantom != old.plan.preamps.phantom

        def swap() -> None:
            self._prepared = new
            if effects:
                self._recorder.note(self.ring.written, effects)
            self.transport.loop = None if self.capturing else plan.loop
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

    def locate(self, position: int) -> None:
        """Reads what sounds there, then goes there at the next block. Not to be called in the block path."""
        self._going_to = [position]
        try:
            self.read_ahead()
            self.between_blocks(lambda: self.transport.locate(position, self.plan.rate_hz))
        finally:
            self._going_to = []

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

    def roll(self, count: Count | None = None) -> None:
        """In the block path: rolls, after the count-in if there is one."""
        self.count = self._counting(count)
        self.transport.roll(count.lead if count else 0)

    def _counting(self, count: Count | None) -> Count | None:
        if count is not None and count.count_in.stop != self.transport.position:
            raise NotNow("The position was moved just now, so nothing began. Press again.")
        return count

    def leave_loop(self, pressed: int | None = None) -> tuple[int, tuple[int, int] | None]:
        """In the block path: the timeline goes straight on from here until it stops; returns where it stands, or stood
        when somebody pressed, and the loop that was left."""
        loop, self.transport.loop = self.transport.loop, None
        ago = self.since(pressed) if self.transport.rolling else 0
        return max(0, self.transport.position - ago), loop

    def take_up_loop(self, loop: tuple[int, int] | None) -> None:
        """In the block path: after a capture that was refused."""
        if not self.capturing:
            self.transport.loop = loop

    def begin_run(
        self, run: RunWriter, samples: int | None = None, count: Count | None = None, lead_in: RunWriter | None = None
    ) -> None:
        """In the block path: captures from the run's start position on, for ``samples`` if given.

        Hardware inputs arrive one round trip late. When the timeline rolls already it is a little
        past that position, and the ring still holds what belongs there. What is counted in goes to ``lead_in``.
        """
        moved = self.transport.position - run.header.start
        if moved and not self.transport.rolling:
            raise NotNow("The position was moved just now, so nothing was captured. Press Capture again.")
        lead = count.lead if count else 0
        self.count = self._counting(count)
        for each in (run, lead_in):
            if each is not None and each.prints is not None:  # what was moved since it was made ready
                each.note(self.ring.written, {t.id: t.effects for t in self.plan.tracks if t.prints})
        self.transport.capture(lead)
        self._recorder.begin(run, lead_in, self.ring.written + self.round_trip_samples - moved, lead, samples)

    def keep_run(self, run: RunWriter, first: int, stop: int) -> None:
        """In the block path: writes what the ring holds of [first, stop), and goes on with whatever it does."""
        for sample, samples, load in self.holes:
            run.lost(sample, samples, load)
        self._recorder.keep(run, first, stop)

    def play_probe(self, probe: Probe) -> None:
        """In the block path: an output plays a test signal instead of its mix until it is over."""
        if self.transport.rolling:
            raise NotNow("The timeline moves, so the round trip cannot be measured. Stop first.")
        self._probe = probe

    def stop(self, pressed: int | None = None) -> RunWriter | None:
        """In the block path: stops, and ends the run where the timeline stopped, or stood when somebody pressed; during
        the count-in, without one. Returns the run that ended."""
        run = self._recorder.run if self.transport.state == CAPTURING else None
        if self.transport.state == COUNTING:
            self._recorder.call_off()
        elif self.transport.state == CAPTURING:
            self._recorder.finish(self.ring.written - self.since(pressed) + self.round_trip_samples)
        self.transport.stop()
        self.transport.loop = self.plan.loop
        return run

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
        if self.transport.state == COUNTING:
            self._recorder.call_off()
        self._recorder.finish_all(self.ring.written)
        self.transport.stop()

    def write(self) -> None:
        """The captured sound to its files. Called by a thread that does nothing else, or between blocks."""
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

    def pump(self) -> None:
        """All of it, where one thread does everything."""
        self.write()
        self.keep()
        self.read_ahead()

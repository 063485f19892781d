"""The engine: what happens in every block, and what may be asked between blocks.

Block path rules: all channels at once, no I/O, no locks, no logging. Other threads hand over small
functions, which run at the next block boundary, and take away what the block path leaves in queues.
"""

import time
from collections import deque
from collections.abc import Callable
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from cattailer.core.errors import NotNow
from cattailer.core.gear.dropouts import Dropout
from cattailer.core.plan import MOST_FEEDERS, MOST_MIXES, SOFTWARE_CHANNELS, Plan
from cattailer.core.transport import moves
from cattailer.engine.block.blocktimes import BlockTimes
from cattailer.engine.block.inside import Inside
from cattailer.engine.block.prepared import prepare
from cattailer.engine.block.requests import Requests
from cattailer.engine.block.ring import Ring
from cattailer.engine.block.transport import Transport
from cattailer.engine.driver import Driver, StandIn, Timeline
from cattailer.engine.messages.telemetry import Telemetry
from cattailer.engine.sources.click import Count
from cattailer.engine.sources.playback import Playback, same_pieces
from cattailer.engine.sources.probe import Probe
from cattailer.engine.writing.recorder import Recorder
from cattailer.engine.writing.runwriter import RunWriter

RING_S = 20.0
MIX_RING_S = 4.0
FRAME_HZ = 30
KEPT_DROPS = 32
SETTLE_S = 1.5
"""How long the mixes stay silent after 48 V was switched."""

Floats = NDArray[np.float32]
T = TypeVar("T")


class Engine:
    """Runs one plan on one open driver."""

    def __init__(self, driver: Driver, plan: Plan) -> None:
        self.driver = driver
        self.stand_in = driver if isinstance(driver, StandIn) else None
        self.transport = Transport()
        self.dropouts = 0
        self.drops: deque[Dropout] = deque(maxlen=KEPT_DROPS)
        self._recorder = Recorder()
        self.count: Count | None = None
        # Rows: inputs, pattern player, feeders, and one that is never written, for tracks without a feed.
        self.rows = driver.profile.inputs + SOFTWARE_CHANNELS + 2 * MOST_FEEDERS
        self.ring = Ring(self.rows + 1, int(RING_S * plan.rate_hz))
        self.mixes = Ring(2 * MOST_MIXES, int(MIX_RING_S * plan.rate_hz))
        self.frames: deque[tuple[float, str, int, int]] = deque(maxlen=64)
        self.events: deque[Telemetry] = deque(maxlen=4096)
        self._requests = Requests()
        self._frame_samples = plan.rate_hz // FRAME_HZ
        self._frame_left = self._frame_samples
        self._clicked = np.zeros((2, driver.period), np.float32)
        self._inside = Inside(self.rows, driver.period)
        self._mute_until = 0
        self._correction = plan.correction_samples
        self._probe: Probe | None = None
        self.times = BlockTimes(plan.period, plan.rate_hz)
        self._prepared = prepare(plan, Playback(plan), None, self.round_trip_samples)
        self.transport.loop = plan.loop
        driver.set_preamps(plan.preamps)
        if self.stand_in is not None:
            self.stand_in.set_tempo(plan.tempo)
            self.stand_in.set_through(self._prepared.through)

    @property
    def plan(self) -> Plan:
        return self._prepared.plan

    @property
    def round_trip_samples(self) -> int:
        """What the driver claims, corrected by what was measured."""
        return max(0, self.driver.latency.round_trip_samples + self._correction)

    @property
    def run(self) -> RunWriter | None:
        """What is being captured."""
        return self._recorder.run

    @property
    def missing(self) -> list[str]:
        """Files of takes that are not where they should be."""
        return self._prepared.playback.missing

    @property
    def players(self) -> dict[str, str]:
        """What the stand-in's players do; nobody with a real interface."""
        return self.stand_in.room().players if self.stand_in is not None else {}

    @property
    def sample(self) -> int:
        return self.ring.written

    @property
    def muted(self) -> bool:
        """Whether the mixes are silent while 48 V settles."""
        return self.ring.written < self._mute_until

    def mix_of(self, place: int, start: int, stop: int) -> Floats | None:
        """Sound of the mix at a place of the plan, (2, samples), or None when it is not held any more."""
        return self.mixes.read(start, stop, slice(2 * place, 2 * place + 2))

    def process(self, inputs: Floats, outputs: Floats, sample: int, lost: int) -> Timeline:
        """One block, timed; see ``engine.driver.Process``."""
        began = time.perf_counter()
        answer = self._process(inputs, outputs, lost)
        self.times.add(time.perf_counter() - began)
        return answer

    def _process(self, inputs: Floats, outputs: Floats, lost: int) -> Timeline:
        transport = self.transport
        if lost:
            self._pad(lost)
        self._requests.answer()
        prepared = self._prepared
        count = inputs.shape[1]
        transport.settle(count)
        state, position, entry, passes = transport.state, transport.position, transport.entry, transport.passes
        gains = prepared.sums[transport.sounding]
        summed = np.matmul(gains.hardware, inputs, out=prepared.summed)
        stretches = transport.stretches(count)
        made = self._inside.made(prepared, state, stretches)
        if self.run is not None and transport.sounding != "capturing" and prepared.plan.feeders:
            # Stopped, but what was played last is still on its way in.
            rows = slice(prepared.mixes, None)
            summed[rows] = prepared.sums["capturing"].hardware[rows] @ inputs
        if prepared.keeps:
            words = self._inside.words(prepared, inputs, summed[prepared.mixes :], made, self.round_trip_samples)
            self.ring.write(words)
        else:
            self.ring.write(inputs)
        mixes = summed[: prepared.mixes]
        if made is not None:
            mixes += made[: prepared.mixes]
        if state != "stopped":
            click = self.count if state == "counting" else prepared.click
            if click is not None and (state == "counting" or click.plan.sounds_while(state)):
                self._clicked[:] = 0.0
                for done, at, length in stretches:
                    click.add(self._clicked[:, done : done + length], at)
                mixes.reshape(-1, 2, count)[prepared.click_mixes] += self._clicked
            transport.advance(stretches)
        np.maximum(mixes, -1.0, out=mixes)
        np.minimum(mixes, 1.0, out=mixes)
        if self._mute_until > self.ring.written:
            mixes[:] = 0.0
        np.matmul(prepared.outputs, mixes, out=outputs)
        np.clip(outputs, -1.0, 1.0, out=outputs)
        if self._probe is not None and not self._probe.add(outputs, self.ring.written - count):
            self._probe = None
        self.mixes.write(mixes)
        self._frame_left -= count
        if self._frame_left <= 0:
            self._frame_left += self._frame_samples
            self.frames.append((time.time(), state, position, self.ring.written))
        return Timeline(moves(state), position, passes, entry)

    def _pad(self, lost: int) -> None:
        """A dropout: silence instead, the timeline goes on, and it is noted."""
        self.dropouts += 1
        load, transport = self.times.recent_load(), self.transport
        self.drops.append(Dropout(time.time(), transport.state, transport.position, lost, self.plan.period, load))
        self._recorder.lost(self.ring.written, lost, load)
        self.ring.write_silence(lost)
        self._prepared.inside.write_silence(lost)
        self.mixes.write_silence(lost)
        if transport.rolling:
            transport.advance(transport.stretches(lost))

    def between_blocks(self, ask: Callable[[], T], timeout_s: float = 5.0) -> T:
        """Runs ``ask`` in the block path at the next boundary and returns its answer."""
        return self._requests.wait_for(ask, timeout_s)

    def soon(self, ask: Callable[[], Any]) -> None:
        """As ``between_blocks``, without waiting; for callers that drive the clock themselves."""
        self._requests.soon(ask)

    def set_plan(self, plan: Plan) -> Callable[[], None]:
        """Prepares a plan for the same hardware off the block path; the answer swaps it in."""
        old = self._prepared
        same = same_pieces(old.playback, plan.pieces) and plan.same_rows(old.plan)
        playback = old.playback if same else Playback(plan)
        playback.pump(self.transport.position)
        new = prepare(plan, playback, old, self.round_trip_samples)
        if new.patterns is not None:
            new.patterns.pump(self.transport.position)
        if new.click is not None:
            at = self.transport.position
            first = min(at, plan.loop[0]) if plan.loop else at
            new.click.prepare(first - plan.rate_hz, at + 600 * plan.rate_hz)
        if plan.preamps != old.plan.preamps:
            self.driver.set_preamps(plan.preamps)
        if self.stand_in is not None and plan.tempo != old.plan.tempo:
            self.stand_in.set_tempo(plan.tempo)
        if self.stand_in is not None and new.through != old.through:
            self.stand_in.set_through(new.through)
        switched = plan.preamps.phantom != old.plan.preamps.phantom

        def swap() -> None:
            self._prepared = new
            self.transport.loop = plan.loop
            if self.run is None:
                self._correction = plan.correction_samples
            if switched:
                self._mute_until = self.ring.written + int(SETTLE_S * plan.rate_hz)

        return swap

    def roll(self, count: Count | None = None) -> None:
        """In the block path: rolls, after the count-in if there is one."""
        self.count = self._counting(count)
        self.transport.roll(count.lead if count else 0)

    def _counting(self, count: Count | None) -> Count | None:
        if count is not None and count.count_in.stop != self.transport.position:
            raise NotNow("The position was moved just now, so nothing began. Press again.")
        return count

    def leave_loop(self) -> int:
        """In the block path: the timeline goes straight on from here until it stops; returns where it stands."""
        self.transport.loop = None
        return self.transport.position

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
        self.transport.capture(lead)
        self._recorder.begin(run, lead_in, self.ring.written + self.round_trip_samples - moved, lead, samples)

    def play_probe(self, probe: Probe) -> None:
        """In the block path: an output plays a test signal instead of its mix until it is over."""
        if self.transport.rolling:
            raise NotNow("The timeline moves, so the round trip cannot be measured. Stop first.")
        self._probe = probe

    def stop(self) -> None:
        """In the block path: stops, and ends the run where the timeline stopped; during the count-in, without one."""
        if self.transport.state == "counting":
            self._recorder.call_off()
        elif self.transport.state == "capturing":
            self._recorder.finish(self.ring.written + self.round_trip_samples)
        self.transport.stop()
        self.transport.loop = self.plan.loop

    def pump(self) -> None:
        """Disk work: the run to disk, takes from disk. Called by a thread, or between blocks."""
        prepared = self._prepared
        soon, loop = max(self.transport.position, self.transport.entry), self.transport.loop
        prepared.playback.pump(soon, loop[0] if loop else None)
        if prepared.patterns is not None:
            prepared.patterns.pump(soon, loop[0] if loop else None)
        if self._recorder.pump() and self.transport.state == "capturing":
            self.soon(self.stop)

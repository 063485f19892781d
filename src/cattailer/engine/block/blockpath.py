"""What happens in every block.

All channels at once, no I/O, no locks, no logging, nothing in bulk. Other threads hand over small functions, which run
at the next block boundary, and take away what the block path leaves in queues.
"""

import time
from collections import deque

import numpy as np
from numpy.typing import NDArray

from cattailer.core.gear.dropouts import Dropout
from cattailer.core.plan import MOST_FEEDERS, MOST_MIXES, SOFTWARE_CHANNELS, Plan
from cattailer.core.transport import CAPTURING, COUNTING, STOPPED, moves
from cattailer.engine.block.blocktimes import BlockTimes
from cattailer.engine.block.gliding import Gliding
from cattailer.engine.block.inside import Inside
from cattailer.engine.block.mute import Mute
from cattailer.engine.block.prepared import Prepared, prepare
from cattailer.engine.block.requests import Requests
from cattailer.engine.block.ring import Ring
from cattailer.engine.block.transport import Transport
from cattailer.engine.driver import Driver, StandIn, Timeline
from cattailer.engine.messages.telemetry import Telemetry
from cattailer.engine.sources.click import Click, Count
from cattailer.engine.sources.playback import Playback
from cattailer.engine.sources.probe import Probe
from cattailer.engine.writing.recorder import Recorder
from cattailer.engine.writing.runwriter import RunWriter
from cattailer.media.disk import REAL, Disk

RING_S = 20.0
MIX_RING_S = 4.0
FRAME_HZ = 30
KEPT_DROPS = 32
MOST_MADE_UP_S = 1
"""After so long a dropout, what is made inside is silent too: to make it up would take too long."""

Floats = NDArray[np.float32]


class BlockPath:
    """Runs one plan on one open driver, block after block."""

    def __init__(self, driver: Driver, plan: Plan, disk: Disk = REAL) -> None:
        self.driver = driver
        self.disk = disk
        self.going = True
        """Cleared to close the interface."""
        self.lost = False
        """Set once the interface is gone: nothing runs any more."""
        self.stand_in = driver if isinstance(driver, StandIn) else None
        self.transport = Transport()
        self._padded = 0
        self._told_late = 0
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
        self._inside = Inside(self.rows, driver.period, plan.rate_hz)
        self._gliding = Gliding(plan.rate_hz, driver.period)
        self._mute = Mute(plan.rate_hz)
        self._straight_from = 0
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
    def dropouts(self) -> int:
        """How often sound was lost: by the interface, or because the disk was too slow."""
        return self._padded + self._recorder.behind

    @property
    def run(self) -> RunWriter | None:
        """What is being captured."""
        return self._recorder.run

    @property
    def capturing(self) -> bool:
        """Whether a capture runs, or is counted in."""
        return self.transport.rolling and self.transport.sounding == CAPTURING

    @property
    def busy(self) -> bool:
        """Whether files of a run are still open."""
        return self._recorder.busy

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
        return self._mute.holds(self.ring.written)

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
        if self.capturing and self._recorder.run is None:
            self.stop()  # nothing is captured without a run, whatever became of it
        prepared, count = self._prepared, inputs.shape[1]
        transport.settle(count)
        state, position, entry, passes = transport.state, transport.position, transport.entry, transport.passes
        self._note(prepared, state, position)
        gains = prepared.sums[transport.sounding]
        summed = np.matmul(gains.hardware, inputs, out=prepared.summed)
        stretches = transport.stretches(count)
        made = self._inside.made(prepared, state, stretches, transport.loop)
        if transport.sounding != CAPTURING and prepared.plan.feeders and self._recorder.waiting:
            # Stopped, but what was played last is still on its way in.
            rows = slice(prepared.mixes, None)
            summed[rows] = prepared.sums[CAPTURING].hardware[rows] @ inputs
        if prepared.keeps:
            words = self._inside.words(prepared, inputs, summed[prepared.mixes :], made, self.round_trip_samples)
            self.ring.write(words)
        else:
            self.ring.write(inputs)
        mixes, gliding = summed[: prepared.mixes], self._gliding
        if gliding.active:
            gliding.blend(mixes, None if made is None else made[: prepared.mixes], inputs)
        elif made is not None:
            mixes += made[: prepared.mixes]
        self._click(prepared, mixes, state, stretches)
        if state != STOPPED:
            transport.advance(stretches)
        gliding.went_on(count, prepared, transport.sounding, state, transport.position)
        np.clip(mixes, -1.0, 1.0, out=mixes)
        self._mute.apply(mixes, self.ring.written - count)
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

    def _note(self, prepared: Prepared, state: str, position: int) -> None:
        """Where the block does not go on from the one before, what was heard begins to fade."""
        if self._gliding.note(prepared, self.transport.sounding, state, position):
            self._straight_from = self.ring.written

    def _click(self, prepared: Prepared, mixes: Floats, state: str, stretches: list[tuple[int, int, int]]) -> None:
        if state == COUNTING:
            click: Click | None = self.count
        else:
            click = prepared.click
            if click is not None and not click.plan.sounds_while(state):
                click = None
        if click is not None:
            self._clicked[:] = 0.0
            for done, at, length in stretches:
                click.add(self._clicked[:, done : done + length], at)
        if self._gliding.active:
            self._gliding.add_clicks(mixes, click, self._clicked)
        if click is not None:
            mixes.reshape(-1, 2, mixes.shape[1])[prepared.click_mixes] += self._clicked

    def _pad(self, lost: int) -> None:
        """A dropout: silence instead, the timeline goes on, and it is noted. What is made in here is made for it all
        the same, so it has no hole; after a very long one it has, and the mark reaches until that has come round."""
        self._padded += 1
        load, transport, prepared = self.times.recent_load(), self.transport, self._prepared
        self.drops.append(Dropout(time.time(), transport.state, transport.position, lost, self.plan.period, load))
        silent = max(0, lost - MOST_MADE_UP_S * self.plan.rate_hz) if prepared.keeps else lost
        hole = lost + (self.round_trip_samples if silent and prepared.keeps else 0)
        self._recorder.lost(self.ring.written, hole, load)
        self.mixes.write_silence(lost)
        self.ring.write_silence(silent)
        prepared.inside.write_silence(silent)
        if transport.rolling and silent:
            transport.advance(transport.stretches(silent))
        self._make_up(lost - silent)
        self._gliding.went_on(0, prepared, transport.sounding, transport.state, transport.position)

    def _make_up(self, samples: int) -> None:
        """What would have been made in here while samples were lost, on its way into the ring."""
        prepared, transport, period = self._prepared, self.transport, self.driver.period
        nothing = np.zeros((self.driver.profile.inputs, period), np.float32)
        while samples:
            count = min(samples, period)
            transport.settle(count)
            stretches = transport.stretches(count)
            made = self._inside.made(prepared, transport.state, stretches, transport.loop)
            feeders = np.zeros((2 * len(prepared.plan.feeders), count), np.float32)
            self.ring.write(
                self._inside.words(prepared, nothing[:, :count], feeders, made, self.round_trip_samples)
            )
            if transport.rolling:
                transport.advance(stretches)
            samples -= count

    def stop(self) -> RunWriter | None:
        """Stops, and ends the run where the timeline stopped; see ``Engine.stop``."""
        raise NotImplementedError

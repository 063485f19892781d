"""What happens in every block.

All channels at once, no I/O, no locks, no logging, nothing in bulk. Other threads hand over small functions, which run
at the next block boundary, and take away what the block path leaves in queues.
"""

import time
from collections import deque

import numpy as np
from numpy.typing import NDArray

from cattailer.core.gear.dropouts import Dropout
from cattailer.core.mix.flow import end_of_insert
from cattailer.core.plan import MOST_FEEDERS, MOST_MIXES, SOFTWARE_CHANNELS, Plan
from cattailer.core.transport import CAPTURING, moves
from cattailer.engine.block.blending import Blending
from cattailer.engine.block.blocktimes import BlockTimes
from cattailer.engine.block.direct import Direct
from cattailer.engine.block.inside import Inside
from cattailer.engine.block.limiter import Limiter, clip
from cattailer.engine.block.mute import Mute
from cattailer.engine.block.played import Played
from cattailer.engine.block.prepared import Prepared, prepare
from cattailer.engine.block.requests import Requests
from cattailer.engine.block.ring import MIX_RING_S, RING_S, Ring
from cattailer.engine.block.transport import Transport
from cattailer.engine.driver import Driver, StandIn, Timeline
from cattailer.engine.messages.telemetry import Telemetry
from cattailer.engine.sources.click import Count
from cattailer.engine.sources.guide import Keyboard
from cattailer.engine.sources.playback import Playback
from cattailer.engine.sources.probe import Probe
from cattailer.engine.writing.recorder import Recorder
from cattailer.engine.writing.runwriter import RunWriter
from cattailer.media.disk import REAL, Disk

FRAME_HZ = 30
KEPT_DROPS, KEPT_HOLES = 32, 512
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
        self.holes: deque[tuple[int, int, float]] = deque(maxlen=KEPT_HOLES)
        """The newest stretches of the ring that were lost: sample, samples, load."""
        self.rolled: tuple[int, int] | None = None
        """A ring sample and the timeline position that was played there, where it rolled last."""
        self._recorder = Recorder()
        self.more = False
        """Whether a capture will bring further runs, though none is being captured."""
        self.falls_back = False
        """Whether a capture goes on elsewhere when its disk fails, so that it is not over then."""
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
        # Rows: inputs, pattern player, click, guide notes, and one that is silent.
        self._incoming = np.zeros((driver.profile.inputs + SOFTWARE_CHANNELS + 4, driver.period), np.float32)
        self.keys = Keyboard(plan.rate_hz)
        self._inside = Inside(self.rows, driver.period)
        self._played = Played(plan.rate_hz, driver.period)
        self._limiter = Limiter(plan.rate_hz, driver.period)
        self._direct = Direct(driver)
        self._mute = Mute(plan.rate_hz)
        self._straight_from = 0
        self._correction = plan.correction_samples
        self._probe: Probe | None = None
        self.times = BlockTimes(plan.period, plan.rate_hz)
        self._prepared = prepare(plan, Playback(plan), None, self.late_samples)
        self._blending = Blending(plan.rate_hz, self._prepared)
        self.transport.loop = plan.loop
        driver.set_preamps(plan.preamps)
        if self.stand_in is not None:
            self.stand_in.set_tempo(plan.tempo)
            self.stand_in.set_heard(self._prepared.heard)

    @property
    def plan(self) -> Plan:
        return self._prepared.plan

    @property
    def round_trip_samples(self) -> int:
        """What the driver claims, corrected by what was measured."""
        return max(0, self.driver.latency.round_trip_samples + self._correction)

    @property
    def late_samples(self) -> int:
        """So much later than the timeline comes in what is played to it: the round trip, and by what mixes are delayed
        in here."""
        return self.round_trip_samples + self._limiter.delay_samples

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
        """Whether a capture runs, is about to, or is not over yet."""
        return self.transport.capturing

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

    def limited(self) -> dict[int, float]:
        """The lowest gain of each mix's limiter since the last time, by the mix's id."""
        return self._limiter.taken()

    def bypassed(self) -> list[tuple[str, str]]:
        """Effects that were switched off because they failed, and how, since the last time."""
        out = []
        for rack in self._prepared.summing.racks:
            said, rack.said = rack.said, []
            out += said
        return out

    def turned_down(self) -> dict[str, float]:
        """The lowest gain of compressors lately, by the end that they stand on."""
        out: dict[str, float] = {}
        for rack in self._prepared.summing.racks:
            for key, gain in (rack.strips.turned_down() if rack.strips is not None else {}).items():
                end = end_of_insert(key)
                out[end] = min(gain, out.get(end, 1.0))
        return out

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
        without = self._recorder.run is None and not self.more and not self.falls_back
        if transport.over or (transport.capturing and without):
            self.end()  # nothing is captured without a run, whatever became of it
        prepared, count = self._prepared, inputs.shape[1]
        transport.settle(count)
        state, position, entry, passes = transport.state, transport.position, transport.entry, transport.passes
        stretches = transport.stretches(count)
        self._direct.note(prepared, state, position, self.muted)
        rows = self._sum(prepared, inputs, stretches)
        mixes, feeders = rows[: prepared.mixes], rows[prepared.mixes :]
        if prepared.keeps:
            software = self._played.software[:, :count]
            self.ring.write(self._inside.words(prepared, inputs, software, feeders, self.late_samples))
        else:
            self.ring.write(inputs)
        if moves(state):
            transport.advance(stretches)
            self.rolled = self.ring.written, transport.position
        self._played.went_on(count, prepared, transport.state, transport.position)
        self._limiter.apply(mixes, prepared)
        clip(mixes)
        self._mute.apply(mixes, self.ring.written - count)
        np.matmul(prepared.outputs, mixes, out=outputs)
        clip(outputs)
        if self._probe is not None and not self._probe.add(outputs, self.ring.written - count):
            self._probe = None
        self.mixes.write(mixes)
        self._frame_left -= count
        if self._frame_left <= 0:
            self._frame_left += self._frame_samples
            self.frames.append((time.time(), state, position, self.ring.written))
        return Timeline(moves(state), position, passes, entry, self._limiter.delay_samples)

    def _sum(self, prepared: Prepared, inputs: Floats, stretches: list[tuple[int, int, int]]) -> Floats:
        """What mixes and feeders sound in a block."""
        transport, count = self.transport, inputs.shape[1]
        state, position = transport.state, transport.position
        silent = self._played.silent_before
        if self._played.note(prepared, state, position):
            self._straight_from = self.ring.written
        self._blending.note(prepared)
        # Stopped, but what was played last is still on its way in: what is captured sums as before.
        feeding = CAPTURING if self._recorder.waiting else state

        def gate(each: Prepared) -> None:
            segment, lies = each.lying.at(position)
            each.summing.gate(each.plan, state, feeding, lies, segment, silent)

        def takes_of(each: Prepared) -> Floats | None:
            if each.playback is prepared.playback:
                return takes
            sounds = takes is not None and not each.playback.silent
            return each.playback.stretches(stretches) if sounds else None

        incoming, sockets = self._incoming[:, :count], len(inputs)
        incoming[:sockets] = inputs
        software = incoming[sockets : sockets + SOFTWARE_CHANNELS]
        takes = self._played.block(prepared, state, stretches, transport.loop, software)
        ticks = incoming[sockets + SOFTWARE_CHANNELS : sockets + SOFTWARE_CHANNELS + 2]
        self._played.ticks(prepared, state, stretches, self.count, ticks)
        guide = incoming[sockets + SOFTWARE_CHANNELS + 2]
        self._played.guides(prepared, state, stretches, self.keys, self.ring.written, guide)
        return self._blending.block(prepared, gate, incoming, takes, takes_of)

    def _pad(self, lost: int) -> None:
        """A dropout: silence instead, the timeline goes on, and it is noted. What is made in here is made for it all
        the same, so it has no hole; after a very long one it has, and the mark reaches until that has come round."""
        self._padded += 1
        load, transport, prepared = self.times.recent_load(), self.transport, self._prepared
        self.drops.append(Dropout(time.time(), transport.state, transport.position, lost, self.plan.period, load))
        silent = max(0, lost - MOST_MADE_UP_S * self.plan.rate_hz) if prepared.keeps else lost
        hole = lost + (self.late_samples if silent and prepared.keeps else 0)
        self._recorder.lost(self.ring.written, hole, load)
        self.holes.append((self.ring.written, hole, load))
        self.mixes.write_silence(lost)
        self.ring.write_silence(silent)
        prepared.inside.write_silence(silent)
        if transport.moving and silent:
            transport.advance(transport.stretches(silent))
        self._played.went_on(0, prepared, transport.state, transport.position)
        self._make_up(lost - silent)
        self._played.went_on(0, prepared, transport.state, transport.position)

    def _make_up(self, samples: int) -> None:
        """What would have been made in here while samples were lost, on its way into the ring."""
        prepared, transport, period = self._prepared, self.transport, self.driver.period
        nothing = np.zeros((self.driver.profile.inputs, period), np.float32)
        while samples:
            count = min(samples, period)
            transport.settle(count)
            stretches = transport.stretches(count)
            if prepared.feeders:
                feeders = self._sum(prepared, nothing[:, :count], stretches)[prepared.mixes :]
            else:
                spare = self._incoming[len(nothing) : len(nothing) + SOFTWARE_CHANNELS, :count]
                self._played.block(prepared, transport.state, stretches, transport.loop, spare)
                feeders = nothing[:0, :count]
            software = self._played.software[:, :count]
            self.ring.write(
                self._inside.words(prepared, nothing[:, :count], software, feeders, self.late_samples)
            )
            if transport.moving:
                transport.advance(stretches)
            self._played.went_on(count, prepared, transport.state, transport.position)
            samples -= count

    def end(self) -> None:
        """A capture is over, or one of its passes after which the timeline stands; see ``Engine.end``."""
        raise NotImplementedError

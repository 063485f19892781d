"""The engine: what happens in every block, and what may be asked between blocks.

Block path rules: all channels at once, no I/O, no locks, no logging. Other threads hand over small
functions, which run at the next block boundary, and take away what the block path leaves in queues.
"""

import time
from collections import deque
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from cattailer.core.errors import NotNow
from cattailer.core.plan import MOST_TAPS, SOFTWARE_CHANNELS, Plan
from cattailer.engine.capture import RunWriter
from cattailer.engine.driver import Driver
from cattailer.engine.patched import Patched
from cattailer.engine.patterns import PatternPlayer
from cattailer.engine.playback import Playback, same_line
from cattailer.engine.probe import Probe
from cattailer.engine.ring import Ring
from cattailer.engine.transport import Transport
from cattailer.media import journal

RING_S = 20.0
FRAME_HZ = 30
KEPT_BLOCKS = 4096
SETTLE_S = 1.5
"""So long the mixes stay silent after 48 V was switched."""

Floats = NDArray[np.float32]
T = TypeVar("T")


class Engine:
    """Runs one plan on one open driver."""

    def __init__(self, driver: Driver, plan: Plan) -> None:
        self.driver = driver
        self.transport = Transport()
        self.dropouts = 0
        self.run: RunWriter | None = None
        # Rows: inputs, pattern player, taps, and one that is never written, for tracks without a feed.
        self.rows = driver.profile.inputs + SOFTWARE_CHANNELS + 2 * MOST_TAPS
        self.ring = Ring(self.rows + 1, int(RING_S * plan.rate_hz))
        self.mix = Ring(2, int(RING_S * plan.rate_hz))
        self.frames: deque[tuple[float, str, int, int]] = deque(maxlen=64)
        self.told: deque[dict[str, Any]] = deque(maxlen=4096)
        self._asked: deque[tuple[Callable[[], Any], list[Any]]] = deque()
        self._frame_samples = plan.rate_hz // FRAME_HZ
        self._frame_left = self._frame_samples
        self._words = np.zeros((self.rows, driver.period), np.float32)
        self._clicked = np.zeros((2, driver.period), np.float32)
        self._software = np.zeros((SOFTWARE_CHANNELS, driver.period), np.float32)
        self._mute_until = 0
        self._correction = plan.correction_samples
        self._probe: Probe | None = None
        self.block_us = np.zeros(KEPT_BLOCKS)
        self.blocks = 0
        self._patched = self._patch(plan, Playback(plan), None)
        driver.set_preamps(plan.preamps)
        driver.set_tempo(plan.tempo)

    @property
    def plan(self) -> Plan:
        return self._patched.plan

    @property
    def round_trip_samples(self) -> int:
        """What the driver claims, corrected by what was measured."""
        return max(0, self.driver.latency.round_trip_samples + self._correction)

    @property
    def missing(self) -> list[str]:
        """Files of the line that are not there."""
        return self._patched.playback.missing

    @property
    def sample(self) -> int:
        return self.ring.written

    @property
    def muted(self) -> bool:
        """Whether the mixes are silent while 48 V settles."""
        return self.ring.written < self._mute_until

    def process(self, inputs: Floats, outputs: Floats, sample: int, lost: int) -> tuple[bool, int, int]:
        """One block, timed; see ``engine.driver.Process``."""
        began = time.perf_counter()
        answer = self._process(inputs, outputs, lost)
        self.block_us[self.blocks % KEPT_BLOCKS] = 1e6 * (time.perf_counter() - began)
        self.blocks += 1
        return answer

    def _process(self, inputs: Floats, outputs: Floats, lost: int) -> tuple[bool, int, int]:
        transport, patched = self.transport, self._patched
        if lost:
            self._pad(lost)
        while self._asked:
            self._answer_one()
            patched = self._patched
        count = inputs.shape[1]
        state, position = transport.state, transport.position
        gains = patched.sums[state]
        summed = np.matmul(gains.hardware, inputs, out=patched.summed)
        made = self._inside(patched, state, position, count)
        if self.run is not None and state != "capturing" and patched.plan.taps:
            # Stopped, but what was played last is still on its way in.
            rows = slice(patched.mixes, None)
            summed[rows] = patched.sums["capturing"].hardware[rows] @ inputs
        if patched.keeps:
            self._keep(patched, inputs, summed[patched.mixes :], made)
        else:
            self.ring.write(inputs)
        mixes = summed[: patched.mixes]
        if made is not None:
            mixes += made[: patched.mixes]
        if state != "stopped":
            if patched.click is not None and patched.click.plan.sounds_while(state):
                self._clicked[:] = 0.0
                patched.click.add(self._clicked, position)
                mixes.reshape(-1, 2, count)[patched.click_mixes] += self._clicked
            transport.position = position + count
        np.maximum(mixes, -1.0, out=mixes)
        np.minimum(mixes, 1.0, out=mixes)
        if self._mute_until > self.ring.written:
            mixes[:] = 0.0
        np.matmul(patched.outputs, mixes, out=outputs)
        np.clip(outputs, -1.0, 1.0, out=outputs)
        if self._probe is not None and not self._probe.add(outputs, self.ring.written - count):
            self._probe = None
        self.mix.write(mixes[:2])
        self._frame_left -= count
        if self._frame_left <= 0:
            self._frame_left += self._frame_samples
            self.frames.append((time.time(), state, position, self.ring.written))
        return state != "stopped", position, transport.passes

    def _inside(self, patched: Patched, state: str, position: int, count: int) -> Floats | None:
        """What takes and the pattern player add to mixes and taps, or None where nothing sounds."""
        if state == "stopped":
            self._software[:] = 0.0
            return None
        gains = patched.sums[state]
        out: Floats | None = None
        if patched.patterns is not None:
            patched.patterns.block(position, self._software)
            out = gains.software @ self._software
        if not patched.playback.silent:
            line = patched.playback.block(position, count)
            if line is not None:
                out = gains.line @ line if out is None else out + gains.line @ line
        return out

    def _keep(self, patched: Patched, inputs: Floats, taps: Floats, made: Floats | None) -> None:
        """Inputs, software sources and taps into the ring, so that all can be captured.

        Inputs arrive one round trip late. What is made in here does not, so it waits that long:
        then one ring sample is one timeline position for every row.
        """
        count = inputs.shape[1]
        fresh = self._words[: patched.keeps]
        fresh[:SOFTWARE_CHANNELS] = self._software
        fresh[SOFTWARE_CHANNELS:] = 0.0 if made is None else made[patched.mixes :]
        patched.inside.write(fresh)
        late = patched.inside.written - self.round_trip_samples
        waited = patched.inside.read(late - count, late, slice(0, patched.keeps))
        words = self._words[: len(inputs) + patched.keeps]
        words[len(inputs) :] = 0.0 if waited is None else waited
        words[: len(inputs)] = inputs
        words[len(inputs) + SOFTWARE_CHANNELS :] += taps
        self.ring.write(words)

    def _pad(self, lost: int) -> None:
        """A dropout: silence instead, the timeline goes on, and it is noted."""
        self.dropouts += 1
        if self.run is not None:
            self.run.lost(self.ring.written, lost)
        self.ring.write_silence(lost)
        self._patched.inside.write_silence(lost)
        self.mix.write_silence(lost)
        if self.transport.rolling:
            self.transport.position += lost

    def _answer_one(self) -> None:
        ask, answer = self._asked.popleft()
        try:
            answer.append((True, ask()))
        except Exception as why:  # handed to the thread that asked
            answer.append((False, why))

    def between_blocks(self, ask: Callable[[], T], timeout_s: float = 5.0) -> T:
        """Runs ``ask`` in the block path at the next boundary and returns its answer.

        Raises what ``ask`` raises, and NotNow when no block comes.
        """
        answer: list[Any] = []
        self._asked.append((ask, answer))
        until = time.monotonic() + timeout_s
        while not answer:
            if time.monotonic() > until:
                raise NotNow("The interface does not deliver sound, so nothing was changed. Try again.")
            time.sleep(0.0005)
        good, value = answer[0]
        if not good:
            raise value
        return value  # type: ignore[no-any-return]

    def soon(self, ask: Callable[[], Any]) -> None:
        """As ``between_blocks``, without waiting; for callers that drive the clock themselves."""
        self._asked.append((ask, []))

    def set_plan(self, plan: Plan) -> Callable[[], None]:
        """Prepares a plan for the same hardware off the block path; the answer swaps it in."""
        old = self._patched
        playback = old.playback if same_line(old.playback, plan.line) and _same_rows(old.plan, plan) else Playback(plan)
        playback.pump(self.transport.position)
        new = self._patch(plan, playback, old)
        if new.patterns is not None:
            new.patterns.pump(self.transport.position)
        if new.click is not None:
            at = self.transport.position
            new.click.prepare(max(0, at - plan.rate_hz), at + 600 * plan.rate_hz)
        if plan.preamps != old.plan.preamps:
            self.driver.set_preamps(plan.preamps)
        if plan.tempo != old.plan.tempo:
            self.driver.set_tempo(plan.tempo)

        switched = plan.preamps.phantom != old.plan.preamps.phantom

        def swap() -> None:
            self._patched = new
            if self.run is None:
                self._correction = plan.correction_samples
            if switched:
                self._mute_until = self.ring.written + int(SETTLE_S * plan.rate_hz)

        return swap

    def _patch(self, plan: Plan, playback: Playback, old: Patched | None) -> Patched:
        """Keeps the pattern player and what waits on its way to the ring where nothing about them changed."""
        patterns = None
        if plan.plays_patterns:
            kept = old.patterns if old is not None and old.plan.tempo == plan.tempo else None
            patterns = kept or PatternPlayer(plan.tempo)
        if old is not None and old.plan.taps == plan.taps:
            return Patched(plan, playback, patterns, old.inside)
        inside = Ring(SOFTWARE_CHANNELS + 2 * len(plan.taps), self.round_trip_samples + 4 * 8192)
        inside.write_silence(inside.size)
        return Patched(plan, playback, patterns, inside)

    def make_run(self, folder: Path, stem: str, head: journal.RunHead) -> RunWriter:
        """Opens the files of a run; nothing is captured yet. Raises OSError."""
        return RunWriter(folder, stem, head, self.ring, self.told.append)

    def begin_run(self, run: RunWriter, samples: int | None = None) -> None:
        """In the block path: captures from the run's start position on, for ``samples`` if given.

        Hardware inputs arrive one round trip late. When the timeline rolls already it is a little
        past that position, and the ring still holds what belongs there.
        """
        moved = self.transport.position - run.head.start
        if moved and not self.transport.rolling:
            raise NotNow("The position was moved just now, so nothing was captured. Press Capture again.")
        self.transport.capture()
        self.run = run
        first = self.ring.written + self.round_trip_samples - moved
        run.begin(first)
        if samples is not None:
            run.finish(first + samples)

    def play_probe(self, probe: Probe) -> None:
        """In the block path: an output plays a test signal instead of its mix until it is over."""
        if self.transport.rolling:
            raise NotNow("The timeline moves, so the round trip cannot be measured. Stop first.")
        self._probe = probe

    def stop(self) -> None:
        """In the block path: stops, and ends the run where the timeline stopped."""
        if self.transport.state == "capturing" and self.run is not None:
            self.run.finish(self.ring.written + self.round_trip_samples)
        self.transport.stop()

    def pump(self) -> None:
        """Disk work: the run to disk, takes from disk. Called by a thread, or between blocks."""
        patched, run = self._patched, self.run
        patched.playback.pump(self.transport.position)
        if patched.patterns is not None:
            patched.patterns.pump(self.transport.position)
        if run is not None:
            run.pump()
            if run.done:
                self.run = None
                if self.transport.state == "capturing":
                    self.soon(self.stop)


def _same_rows(a: Plan, b: Plan) -> bool:
    return [(t.id, len(t.inputs)) for t in a.tracks] == [(t.id, len(t.inputs)) for t in b.tracks]


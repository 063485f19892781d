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
from cattailer.core.plan import Plan, channel_inputs, channel_tracks, main_matrix
from cattailer.engine.capture import RunWriter
from cattailer.engine.click import Click
from cattailer.engine.driver import Driver
from cattailer.engine.playback import Playback, same_line
from cattailer.engine.ring import Ring
from cattailer.engine.transport import Transport
from cattailer.media import journal

RING_S = 20.0
FRAME_HZ = 30

Floats = NDArray[np.float32]
T = TypeVar("T")


class Patched:
    """A plan as the block path uses it: matrices, ready to multiply."""

    def __init__(self, plan: Plan, playback: Playback) -> None:
        self.plan = plan
        self.playback = playback
        self.click = Click(plan.tempo, plan.click_db) if plan.click else None
        to_main = main_matrix(plan)
        rows = channel_inputs(plan)
        armed = np.array([t.armed for t in plan.tracks], bool)[channel_tracks(plan)]
        self.live_stopped = self._from_inputs(to_main, rows, plan.inputs)
        self.live_capturing = self._from_inputs(to_main * armed, rows, plan.inputs)
        self.line_rolling = to_main
        self.line_capturing = np.ascontiguousarray(to_main * ~armed)

    @staticmethod
    def _from_inputs(to_main: Floats, rows: NDArray[np.intp], inputs: int) -> Floats:
        feeds = rows[:, np.newaxis] == np.arange(inputs)
        return np.ascontiguousarray(to_main @ feeds.astype(np.float32))


class Engine:
    """Runs one plan on one open driver."""

    def __init__(self, driver: Driver, plan: Plan) -> None:
        self.driver = driver
        self.transport = Transport()
        self.dropouts = 0
        self.run: RunWriter | None = None
        inputs = driver.profile.inputs
        self.ring = Ring(inputs, int(RING_S * plan.rate_hz))
        self.mix = Ring(2, int(RING_S * plan.rate_hz))
        self.frames: deque[tuple[float, str, int, int]] = deque(maxlen=64)
        self.told: deque[dict[str, Any]] = deque(maxlen=4096)
        self._asked: deque[tuple[Callable[[], Any], list[Any]]] = deque()
        self._frame_samples = plan.rate_hz // FRAME_HZ
        self._frame_left = self._frame_samples
        self._part = np.zeros((2, driver.period), np.float32)
        self._patched = Patched(plan, Playback(plan))
        driver.set_preamps(plan.preamps)
        driver.set_tempo(plan.tempo)

    @property
    def plan(self) -> Plan:
        return self._patched.plan

    @property
    def missing(self) -> list[str]:
        """Files of the line that are not there."""
        return self._patched.playback.missing

    @property
    def sample(self) -> int:
        return self.ring.written

    def process(self, inputs: Floats, outputs: Floats, sample: int, lost: int) -> tuple[bool, int, int]:
        """One block; see ``engine.driver.Process``."""
        transport, patched = self.transport, self._patched
        if lost:
            self._pad(lost)
        while self._asked:
            self._answer_one()
            patched = self._patched
        count = inputs.shape[1]
        state, position = transport.state, transport.position
        self.ring.write(inputs)
        main = outputs[:2]
        if state == "stopped":
            np.matmul(patched.live_stopped, inputs, out=main)
        else:
            self._sound_line(patched, state, position, inputs, main)
            transport.position = position + count
        np.maximum(main, -1.0, out=main)
        np.minimum(main, 1.0, out=main)
        self.mix.write(main)
        self._frame_left -= count
        if self._frame_left <= 0:
            self._frame_left += self._frame_samples
            self.frames.append((time.time(), state, position, self.ring.written))
        return state != "stopped", position, transport.passes

    def _sound_line(self, patched: Patched, state: str, position: int, inputs: Floats, main: Floats) -> None:
        """Armed inputs live while capturing; otherwise, and beside them, what was captured; the click."""
        if state == "capturing":
            np.matmul(patched.live_capturing, inputs, out=main)
        else:
            main[:] = 0.0
        if not patched.playback.silent:
            line = patched.playback.block(position, inputs.shape[1])
            if line is not None:
                matrix = patched.line_capturing if state == "capturing" else patched.line_rolling
                np.matmul(matrix, line, out=self._part)
                main += self._part
        if patched.click is not None:
            patched.click.add(main, position)

    def _pad(self, lost: int) -> None:
        """A dropout: silence instead, the timeline goes on, and it is noted."""
        self.dropouts += 1
        if self.run is not None:
            self.run.lost(self.ring.written, lost)
        self.ring.write_silence(lost)
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
        new = Patched(plan, playback)
        if new.click is not None:
            at = self.transport.position
            new.click.prepare(max(0, at - plan.rate_hz), at + 600 * plan.rate_hz)
        if plan.preamps != old.plan.preamps:
            self.driver.set_preamps(plan.preamps)
        if plan.tempo != old.plan.tempo:
            self.driver.set_tempo(plan.tempo)

        def swap() -> None:
            self._patched = new

        return swap

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
        first = self.ring.written + self.driver.latency.round_trip_samples - moved
        run.begin(first)
        if samples is not None:
            run.finish(first + samples)

    def stop(self) -> None:
        """In the block path: stops, and ends the run where the timeline stopped."""
        if self.transport.state == "capturing" and self.run is not None:
            self.run.finish(self.ring.written + self.driver.latency.round_trip_samples)
        self.transport.stop()

    def pump(self) -> None:
        """Disk work: the run to disk, takes from disk. Called by a thread, or between blocks."""
        patched, run = self._patched, self.run
        patched.playback.pump(self.transport.position)
        if run is not None:
            run.pump()
            if run.done:
                self.run = None
                if self.transport.state == "capturing":
                    self.soon(self.stop)


def _same_rows(a: Plan, b: Plan) -> bool:
    return [(t.id, len(t.inputs)) for t in a.tracks] == [(t.id, len(t.inputs)) for t in b.tracks]


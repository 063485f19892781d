"""An interface whose inputs count samples, so that a file says by itself which samples are in it."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from cattailer.core.plan import Plan, TrackPlan
from cattailer.core.takes.course import NOW, ROLLS, Course
from cattailer.core.transport import STOPPED
from cattailer.engine.block.engine import Engine
from cattailer.engine.offline import PUMP_SAMPLES, run_inline
from cattailer.engine.runs.captures import Captures
from cattailer.engine.runs.making import Making
from cattailer.engine.runs.soundstarted import SoundCaptures
from cattailer.media import journal, wavfile
from cattailer.media.disk import REAL, Disk
from tests.helpers.plans import Nobody, plan_of

ONE = TrackPlan(1, "One", (0,), True, 0.0)
TURN = 1 << 22


class Ramp(Nobody):
    """Sample n is n (modulo ``TURN``) of 24 bits; where ``shape`` is given, it is what it makes of sample numbers.
    ``losses`` are blocks before which so many samples are lost."""

    def __init__(self, plan: Plan, shape: Callable[[np.ndarray], np.ndarray] | None = None,
                 losses: dict[int, int] | None = None) -> None:
        super().__init__(plan)
        self.sample = self.block = 0
        self._shape, self._losses = shape, losses or {}

    def run(self, process: Any, going: Any) -> None:
        inputs = np.zeros((self.profile.inputs, self.period), np.float32)
        outputs = np.zeros((self.profile.outputs, self.period), np.float32)
        while going():
            lost = self._losses.get(self.block, 0)
            self.sample += lost
            at = np.arange(self.sample, self.sample + self.period)
            inputs[:] = (at % TURN) / float(1 << 23) if self._shape is None else self._shape(at)
            process(inputs, outputs, self.sample, lost)
            self.sample += self.period
            self.block += 1


def ramp(period: int = 128, disk: Disk = REAL, **options: Any) -> Engine:
    plan = plan_of(ONE, period=period)
    return Engine(Ramp(plan, **options), plan, disk)


def capture(
    engine: Engine, out: Path, course: Course, count_bars: int = 0, fallback: Path | None = None,
    inputs: tuple[int, ...] = (0,),
) -> Captures:
    """A press of Capture, as the command does it, with the clock standing still meanwhile."""
    file = journal.RunFile(1, "One", "Ferry-One-r01.wav", 1, inputs)
    header = journal.RunHeader("run-a", 1, 1, "Ferry", engine.plan.rate_hz, 24, 0, "2026-05-04T14:02:31+00:00", (file,))
    stood = engine.ring.written, engine.transport.position
    kind = Captures if course.begin in (NOW, ROLLS) else SoundCaptures
    made = kind(engine, course, Making(header, out / "run-001", "run-001", count_bars=count_bars, fallback=fallback), stood)
    made.open()
    engine.soon(made.begin)
    return made


def settle(engine: Engine) -> None:
    """Drives it until everything is closed, what lies after a punch too."""
    end = engine.sample + PUMP_SAMPLES
    run_inline(engine, lambda: engine.busy or bool(engine.courses) or engine.sample < end)
    assert engine.transport.state == STOPPED


def stories(out: Path) -> list[journal.RunStory]:
    """Of the runs themselves, in order."""
    found = [journal.read(path) for path in sorted(out.glob("run-*/*.jsonl"))]
    assert all(story.ended and not story.message for story in found)
    return found


def numbers(path: Path) -> np.ndarray:
    """Which samples a file holds."""
    return np.asarray(np.round(wavfile.read(wavfile.inspect(path))[0] * (1 << 23)), np.int64)


def held(story: journal.RunStory, part: str = "") -> np.ndarray:
    return numbers(story.folder / part / story.header.files[0].path)

"""Many inputs to disk: 32 at 96 kHz on the wall clock beside a bare callback, or 64 at 48 kHz on the virtual clock.

The driver hands samples from a table, so what the stand-in's players cost is not in it.

usage: python bench/many_inputs.py wall [SECONDS] | virtual [SECONDS [PASS_SECONDS]]
"""

import subprocess
import sys
import tempfile
import threading
import time
import uuid
from collections.abc import Callable
from dataclasses import asdict, replace
from pathlib import Path

import numpy as np
from common import BARE, tell
from moving_controls import QUEUE_S

# isort: split
from cattailer.core.gear.interface import Socket
from cattailer.core.gear.latency import Latency
from cattailer.core.plan import Plan, Preamps, TrackPlan
from cattailer.core.takes.course import Course
from cattailer.core.transport import STOPPED
from cattailer.engine.block.engine import Engine
from cattailer.engine.messages.commands import Capture, RunPlan, Stop
from cattailer.engine.offline import run_inline
from cattailer.engine.process.client import EngineClient
from cattailer.engine.process.server import EngineServer
from cattailer.engine.runs.captures import Captures
from cattailer.engine.runs.making import Making
from cattailer.liveroom.clock import Clock, VirtualClock, WallClock
from cattailer.media import journal, profile_toml, wavfile
from cattailer.services.session import demo


class Table:
    """The same second of noise around and around, for any number of inputs, by any clock."""

    def __init__(self, plan: Plan, clock: Clock) -> None:
        self.profile = replace(
            profile_toml.shipped()["marshgate-16"], sockets=tuple(Socket(n + 1, "XLR") for n in range(plan.inputs))
        )
        self.rate_hz, self.period, self.latency = plan.rate_hz, plan.period, Latency(plan.period, plan.period)
        rng = np.random.default_rng(1)
        self._table = (rng.standard_normal((plan.inputs, plan.rate_hz + plan.period)) * 0.05).astype(np.float32)
        self._outputs = np.zeros((self.profile.outputs, plan.period), np.float32)
        self._clock = clock
        self.own_s = 0.0

    def set_preamps(self, preamps: Preamps) -> None: ...
    def set_direct(self, gains: object) -> None: ...

    def run(self, process: Callable[..., object], going: Callable[[], bool]) -> None:
        sample = 0
        self._clock.start(self.rate_hz, self.period, sample)
        while going():
            lost = self._clock.wait(sample + self.period)
            sample += lost
            process(self._table[:, sample % self.rate_hz :][:, : self.period], self._outputs, sample, lost)
            sample += self.period


def plan_of(inputs: int, rate_hz: int, period: int) -> Plan:
    return replace(
        demo.plan(False, rate_hz, period), inputs=inputs, groups=(), click=False,
        tracks=tuple(TrackPlan(n + 1, f"t{n + 1}", (n,), True) for n in range(inputs)),
        routes=tuple((f"track:{n + 1}", "mix:1") for n in range(inputs)),
        preamps=Preamps((0.0,) * inputs, (False,) * inputs, (0.0,) * inputs),
    )


def header_of(plan: Plan) -> journal.RunHeader:
    files = tuple(journal.RunFile(t.id, t.name, f"{t.name}-r01.wav", 1, t.inputs) for t in plan.tracks)
    began = "2026-01-01T00:00:00+00:00"
    return journal.RunHeader(str(uuid.uuid4()), 1, plan.session, "bench", plan.rate_hz, 24, 0, began, files)


def whole(folder: Path) -> tuple[list[int], int]:
    """Frames of each run, and how many files are not as long as their run."""
    stories = [journal.read(path) for path in sorted(folder.rglob("*.jsonl"))]
    short = sum(wavfile.inspect(s.folder / f.path).frames != s.samples for s in stories for f in s.header.files)
    return [s.samples for s in stories], short


def serve(address: str, telemetry: str) -> None:
    server = EngineServer(lambda plan: Table(plan, WallClock(1000 * QUEUE_S)), address, telemetry)
    serving = threading.Thread(target=server.serve)
    serving.start()
    sys.stdin.readline()
    server.shut_down()
    serving.join(30)


def on_the_wall(seconds: float) -> None:
    plan = plan_of(32, 96_000, 128)
    with tempfile.TemporaryDirectory() as folder:
        address = f"ipc://{folder}/c"
        apart = subprocess.Popen(
            [sys.executable, __file__, "serve", address, f"ipc://{folder}/t"], text=True, stdin=subprocess.PIPE
        )
        client = EngineClient(address)
        client.ask(RunPlan(plan.to_dict(), []), 60.0)
        lost_before = client.status().dropouts
        out = Path(folder, "session", "run-001")
        client.ask(Capture(journal.plain_header(header_of(plan)), str(out), "run-001"))
        period_s = str(plan.period / plan.rate_hz)
        bare = subprocess.Popen(
            [sys.executable, "-c", BARE, period_s, str(seconds), str(QUEUE_S)], stdout=subprocess.PIPE, text=True
        )
        lost, late = bare.communicate()[0].split()
        dropouts = client.ask(Stop(1)).status.dropouts - lost_before
        while not (story := journal.read(out / "run-001.journal.jsonl")).ended:
            time.sleep(0.1)
        samples, short = whole(Path(folder, "session"))
        apart.communicate("\n")
    tell(
        what="32 inputs at 96 kHz, 24 bit, 128 samples, wall clock", seconds=seconds, dropouts=dropouts,
        marked=len(story.dropouts), bare_dropouts=int(lost), bare_worst_ms=float(late), samples=samples,
        files_of_another_length=short,
    )


def on_the_virtual_clock(seconds: float, pass_s: float) -> None:
    plan = plan_of(64, 48_000, 128)
    driver = Table(plan, VirtualClock())
    engine = Engine(driver, plan)
    course = Course(limit=round(seconds * plan.rate_hz))
    if pass_s:
        course = replace(course, start=0, first=0, until=round(pass_s * plan.rate_hz), loops=True)
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder, "session", "run-001")
        captures = Captures(engine, course, Making(header_of(plan), out, "run-001"), (0, 0))
        captures.open()
        engine.soon(captures.begin)
        began = time.perf_counter()
        end = engine.sample + 48_000
        run_inline(engine, lambda: engine.transport.state != STOPPED or engine.busy or engine.sample < end)
        took = time.perf_counter() - began
        samples, short = whole(Path(folder, "session"))
    tell(
        what="64 inputs at 48 kHz, 24 bit, 128 samples, virtual clock, to disk", seconds=seconds,
        passes=len(samples), course=asdict(course)["until"], samples=sum(samples), files_of_another_length=short,
        times_real_time=round(sum(samples) / plan.rate_hz / took, 2),
    )


def main() -> None:
    what = sys.argv[1] if len(sys.argv) > 1 else "virtual"
    if what == "serve":
        serve(*sys.argv[2:4])
    elif what == "wall":
        on_the_wall(float(sys.argv[2]) if len(sys.argv) > 2 else 600.0)
    else:
        numbers = [float(each) for each in sys.argv[2:]]
        on_the_virtual_clock(*(numbers + [60.0, 0.0][len(numbers):]))


if __name__ == "__main__":
    main()

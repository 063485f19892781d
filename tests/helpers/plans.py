"""Plans, engines on the virtual clock, and runs, as several tests make them."""

import uuid
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np

from cattailer.core.mix.limiting import look_ahead_samples
from cattailer.core.plan import SOFTWARE_CHANNELS, MixPlan, Plan, TrackPlan
from cattailer.core.time.timeline import TempoMap
from cattailer.engine.block.engine import Engine
from cattailer.engine.offline import run_inline
from cattailer.engine.sources.patterns import PatternPlayer
from cattailer.engine.writing.runwriter import RunWriter
from cattailer.liveroom.clock import VirtualClock
from cattailer.media import bwf, journal, profile_toml, wavfile
from cattailer.media.disk import REAL, Disk
from cattailer.processes.interfaces import open_live_room
from cattailer.services.session import demo

LATE = look_ahead_samples(48_000)
"""So much later mixes leave than they are summed."""
LOOP = TrackPlan(99, "Loop", (12,), True, -200.0)


def plan_of(*tracks: TrackPlan, **changes: Any) -> Plan:
    """The demo's hardware with other tracks, all of them straight in the main mix."""
    straight: dict[str, Any] = {
        "groups": (), "mixes": (MixPlan(1, "Main mix", (0, 1), changes.pop("main_db", -6.0)),),
        "routes": tuple((f"track:{t.id}", "mix:1") for t in tracks),
    }
    return replace(demo.plan(True, period=changes.pop("period", 128)), tracks=tracks, **{**straight, **changes})


def start(plan: Plan, cables: tuple[tuple[int, int], ...] = (), losses: dict[int, int] | None = None) -> Engine:
    return Engine(open_live_room(plan, VirtualClock(losses), cables), plan)


class Nobody:
    """An interface that is only asked what it is."""

    def __init__(self, plan: Plan) -> None:
        self.profile = profile_toml.shipped()["marshgate-16"]
        self.rate_hz, self.period, self.latency = plan.rate_hz, plan.period, self.profile.latency(plan.period)

    def run(self, process: Any, going: Any) -> None:
        raise NotImplementedError

    def set_preamps(self, preamps: object) -> None: ...
    def set_direct(self, gains: object) -> None: ...


def opened(engine: Engine, out: Path, disk: Disk = REAL) -> RunWriter:
    """A run whose files are open; nothing is captured yet."""
    files = tuple(
        journal.RunFile(t.id, t.name, f"{t.name.replace(' ', '-')}.wav", len(t.inputs), t.inputs)
        for t in engine.plan.tracks if t.armed
    )
    header = journal.RunHeader(str(uuid.uuid4()), 1, 1, "T", engine.plan.rate_hz, 24, engine.transport.position,
                           "2026-05-04T14:02:31+00:00", files)
    return RunWriter(out, "run", header, engine.ring, engine.events.append, disk)


def begin(engine: Engine, out: Path, disk: Disk = REAL) -> RunWriter:
    run = opened(engine, out, disk)
    engine.soon(lambda: engine.begin_run(run))
    return run


def finish(engine: Engine, run: RunWriter) -> journal.RunStory:
    engine.soon(engine.stop)
    run_inline(engine, lambda: not run.done)
    assert run.story is not None
    return run.story


def sound(out: Path, name: str) -> np.ndarray:
    return wavfile.read(wavfile.inspect(out / f"{name}.wav"))


ORIGIN = bwf.Origin("Ferry & Söhne", "Cello <near>", 123_456, datetime(2026, 5, 4, 14, 2, 31), "run 3", (2, 3), "a note")


def run_for(engine: Engine, samples: int) -> None:
    """Drives ``engine`` for at least ``samples`` samples."""
    end = engine.sample + samples
    run_inline(engine, lambda: engine.sample < end)


def player(tempo: TempoMap, start: int, samples: int, block: int = 480) -> np.ndarray:
    """What the pattern player plays from ``start`` on, (channels, samples)."""
    made = PatternPlayer(tempo)
    out = np.zeros((SOFTWARE_CHANNELS, samples), np.float32)
    for at in range(0, samples, block):
        made.pump([start + at])
        made.block(start + at, out[:, at : at + block])
    return out

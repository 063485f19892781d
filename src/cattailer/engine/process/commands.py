"""What each command does. One at a time: they are carried out in the thread that answers."""

import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any, Protocol

import numpy as np

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.plan import Plan
from cattailer.core.sound import probe
from cattailer.core.sound.meters import KINDS, POINTS
from cattailer.core.standin import RoomState
from cattailer.core.transport import captures
from cattailer.engine.block import load
from cattailer.engine.block.engine import Engine
from cattailer.engine.block.runs import make_count, make_lead_in, make_run
from cattailer.engine.messages import commands
from cattailer.engine.messages.commands import Command, Loads, Printed, Probed, Sound, Status, Stopped
from cattailer.engine.process.telemetry import Telemetry
from cattailer.engine.sources.click import Count
from cattailer.engine.sources.probe import Probe
from cattailer.engine.writing.printing import print_click
from cattailer.engine.writing.runwriter import RunWriter
from cattailer.media import journal

MOST_SOUND = 1 << 20


class Server(Protocol):
    """What commands need of the server."""

    engine: Engine | None
    telemetry: Telemetry | None

    def need(self) -> Engine: ...
    def run_plan(self, plan: Plan) -> None: ...
    @staticmethod
    def await_run(engine: Engine, seconds: float = ...) -> None: ...


def carry_out(server: Server, command: Command[Any]) -> Any:
    """The answer, of the command's ``answer`` type. Raises Refusal."""
    return _DOES[type(command)](server, command)


def _run_plan(server: Server, command: commands.RunPlan) -> Status:
    server.run_plan(Plan.from_dict(command.plan))
    return status(server.engine)


def _roll(server: Server, command: commands.Roll) -> Status:
    engine = server.need()
    count = make_count(engine, command.count_bars)
    engine.between_blocks(lambda: engine.roll(count))
    return status(engine)


def _stop(server: Server, command: commands.Stop) -> Stopped:
    engine = server.need()
    run = engine.run
    engine.between_blocks(engine.stop)
    server.await_run(engine)
    return Stopped(status(engine), str(run.story.path) if run and run.story else None)


def _locate(server: Server, command: commands.Locate) -> Status:
    engine = server.need()
    engine.between_blocks(lambda: engine.transport.locate(command.position, engine.plan.rate_hz))
    return status(engine)


def _capture(server: Server, command: commands.Capture) -> Status:
    """Opens the files, then captures from the position at which the command came, after the count-in."""
    engine = server.need()
    if captures(engine.transport.state):
        raise NotNow("A capture is already running.")
    if engine.transport.position < 0:
        raise NotNow("A capture begins at 0 of the timeline or later. Go to bar 1 (Home), then capture.")
    server.await_run(engine)
    header = journal.header_of(command.header)
    if header.session != engine.plan.session:
        raise NotNow("Another session is open in the engine. Open this one first.")
    count = make_count(engine, command.count_bars)
    start = engine.between_blocks(engine.leave_loop)
    run, before = _open_run(engine, Path(command.folder), command.stem, replace(header, start=start), count)
    try:
        engine.between_blocks(lambda: engine.begin_run(run, command.samples, count, before))
    except Refusal:
        for opened in filter(None, (before, run)):
            opened.call_off()
            opened.pump()
        raise
    return status(engine)


def _open_run(
    engine: Engine, folder: Path, stem: str, header: journal.RunHeader, count: Count | None
) -> tuple[RunWriter, RunWriter | None]:
    try:
        run = make_run(engine, folder, stem, header)
        return run, make_lead_in(engine, run, count) if count else None
    except FileExistsError as why:
        raise NotNow(f"A file called {Path(why.filename).name} is already there, so nothing was captured.") from why
    except OSError as why:
        what = why.strerror or str(why)
        raise Refusal(f"The media folder cannot be written ({what}), so nothing was captured.", 503) from why


def _print(server: Server, command: commands.PrintClick) -> Printed:
    engine, header = server.need(), journal.header_of(command.header)
    try:
        story = print_click(engine.plan, Path(command.folder), command.stem, header, command.samples)
    except OSError as why:
        raise Refusal(f"The click could not be written ({why.strerror or why}); nothing was kept.", 503) from why
    if story.message:
        raise Refusal(story.message, 507)
    return Printed(str(story.path))


def _reset(server: Server, command: commands.ResetMeters) -> None:
    server.need()
    if server.telemetry is not None:
        server.telemetry.reset(command.rows)


def _meters(server: Server, command: commands.ChooseMeters) -> None:
    server.need()
    if command.kind not in KINDS or command.point not in POINTS:
        raise Refusal("The meters cannot show that; nothing was changed.")
    if server.telemetry is not None:
        if command.kind != server.telemetry.rows.kind:
            server.telemetry.rows.choose(command.kind)
        server.telemetry.point = command.point


def _sound(server: Server, command: commands.GetSound) -> Sound:
    engine, rows, count = server.need(), command.rows, command.count
    if not rows or any(not 0 <= r < engine.plan.source_channels for r in rows) or not 0 < count <= MOST_SOUND:
        raise Refusal("There is no such sound to be had.")
    written = engine.ring.written
    first = max(engine.ring.oldest, written - count if command.start is None else command.start)
    last = min(written, first + count)
    sound = engine.ring.read(first, last, np.array(rows, np.intp)) if last > first else None
    data = b"" if sound is None else sound.astype("<f4").tobytes()
    return Sound(first, 0 if sound is None else last - first, engine.plan.rate_hz, written, data)


def _room(server: Server, command: commands.AskRoom) -> RoomState:
    engine = server.need()
    if engine.stand_in is None:
        raise NotNow("This is a real interface, with real people before it: there is no panel to play with.")
    engine.stand_in.command(command.name, command.arguments)
    return engine.stand_in.room()


def _probe(server: Server, command: commands.PlayProbe) -> Probed:
    engine = server.need()
    rate = engine.plan.rate_hz
    if not 0 <= command.output < engine.plan.outputs:
        raise Refusal(f"There is no output {command.output + 1}; the interface has {engine.plan.outputs}.")
    made = Probe(probe.signal(rate), command.output, probe.REPEATS, probe.stride(rate))
    engine.between_blocks(lambda: engine.play_probe(made))
    until = time.monotonic() + 2.0
    while not made.starts and time.monotonic() < until:
        time.sleep(0.002)
    return Probed(made.starts, engine.driver.latency.round_trip_samples, engine.plan.period)


def _load(server: Server, command: commands.MeasureLoad) -> Loads:
    engine = server.need()
    profile, now = engine.driver.profile, engine.times.kept()
    return Loads(engine.plan.period, now, {p: load.measure(profile, engine.plan, p) for p in profile.buffers})


def status(engine: Engine | None) -> Status:
    if engine is None:
        return Status()
    return Status(
        engine.plan.session, engine.plan.title, engine.transport.state, engine.plan.revision, engine.plan.rate_hz,
        engine.plan.inputs, engine.transport.position, engine.run.header.run if engine.run else None, engine.dropouts,
        engine.round_trip_samples, engine.driver.latency.round_trip_samples, list(engine.missing), list(engine.drops),
        engine.stand_in.room() if engine.stand_in is not None else None,
    )


_DOES: dict[type[Command[Any]], Callable[[Server, Any], Any]] = {
    commands.Ping: lambda server, _: "here", commands.GetStatus: lambda server, _: status(server.engine),
    commands.RunPlan: _run_plan, commands.Roll: _roll, commands.Stop: _stop, commands.Locate: _locate,
    commands.Capture: _capture, commands.PrintClick: _print, commands.ResetMeters: _reset,
    commands.ChooseMeters: _meters, commands.GetSound: _sound, commands.PlayProbe: _probe, commands.MeasureLoad: _load,
    commands.AskRoom: _room,
}

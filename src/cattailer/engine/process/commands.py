"""What each command does. One at a time: they are carried out in the thread that answers."""

import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

import numpy as np

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.mix.costs import Costs
from cattailer.core.mix.moving import Move
from cattailer.core.mix.stepping import Step
from cattailer.core.notes.guide import checked
from cattailer.core.plan import Plan
from cattailer.core.sound import probe
from cattailer.core.sound.meters import KINDS, POINTS
from cattailer.core.standin import RoomState
from cattailer.core.takes.pieces import Piece
from cattailer.core.transport import WAITING
from cattailer.engine.block import load
from cattailer.engine.block.engine import Engine
from cattailer.engine.block.ring import LOOK_BACK_S
from cattailer.engine.effects import costs
from cattailer.engine.messages import commands
from cattailer.engine.messages.answers import Loads, Printed, Probed, Sound, Status, Stopped
from cattailer.engine.messages.commands import Command
from cattailer.engine.process import capturing
from cattailer.engine.process.given import GivenPlan
from cattailer.engine.process.moves import Moves
from cattailer.engine.process.telemetry import Telemetry
from cattailer.engine.runs.making import make_count
from cattailer.engine.sources.probe import Probe
from cattailer.engine.writing.printing import print_click
from cattailer.media import journal

MOST_SOUND = 1 << 20


class Server(Protocol):
    """What commands need of the server."""

    engine: Engine | None
    telemetry: Telemetry | None
    moves: Moves
    given: GivenPlan

    def need(self) -> Engine: ...
    def run_plan(self, plan: Plan) -> None: ...
    def quiet(self) -> list[str]: ...


def carry_out(server: Server, command: Command[Any]) -> Any:
    """The answer, of the command's ``answer`` type. Raises Refusal."""
    return _DOES[type(command)](server, command)


def _run_plan(server: Server, command: commands.RunPlan) -> Status:
    engine, pieces = server.engine, command.pieces
    if pieces is not None and command.base is None:
        sounds = tuple(Piece.of(piece) for piece in pieces)
    else:
        running = engine.plan if engine is not None else None
        base = command.plan["takes_revision"] if command.base is None else command.base
        if running is None or (running.session, running.takes_revision) != (command.plan["session"], base):
            raise Refusal("The engine does not have these takes.", commands.NEEDS_PIECES)
        if pieces is None:
            sounds = running.pieces
        else:
            kept = (piece for piece in running.pieces if piece.track not in command.changed)
            sounds = (*kept, *(Piece.of(piece) for piece in pieces))
    server.run_plan(server.given.plan(command.plan, sounds))
    return status(server)


def _roll(server: Server, command: commands.Roll) -> Status:
    engine = server.need()
    if engine.transport.state == WAITING:
        capturing.go_on(engine)
        return status(server)
    count = make_count(engine, command.count_bars)
    engine.between_blocks(lambda: engine.roll(count, command.samples))
    return status(server)


def _need(server: Server, session: int) -> Engine:
    """Raises NotNow when another session is open than the one that is meant."""
    engine = server.need()
    if engine.plan.session != session:
        raise NotNow("This session is not open in the engine. Press Roll or Capture to open it.")
    return engine


def _stop(server: Server, command: commands.Stop) -> Stopped:
    engine = _need(server, command.session)
    run = engine.between_blocks(lambda: engine.stop(command.pressed))
    return Stopped(status(server), str(run.files.path) if run else None)


def _locate(server: Server, command: commands.Locate) -> Status:
    engine = _need(server, command.session)
    engine.locate(command.position)
    return status(server)


def _move(server: Server, command: commands.MoveControls) -> None:
    plan = _need(server, command.session).plan
    server.moves.add(plan, [*(Move(*m) for m in command.moves), *(Step(*s) for s in command.steps)])


def _hold(server: Server, command: commands.HoldKeys) -> None:
    engine = _need(server, command.session)
    try:
        pitches = checked(command.pitches)
    except ValueError as why:
        raise Refusal(f"That cannot be: {why}. Nothing sounds.") from why
    engine.between_blocks(engine.hold_keys(pitches))


def _capture(server: Server, command: commands.Capture) -> Status:
    capturing.capture(server.need(), server.quiet(), command)
    return status(server)


def _punch_out(server: Server, command: commands.PunchOut) -> Status:
    capturing.punch_out(_need(server, command.session), command)
    return status(server)


def _leave(server: Server, command: commands.LeaveRun) -> Status:
    capturing.leave(server.need(), command)
    return status(server)


def _join(server: Server, command: commands.JoinRun) -> Status:
    capturing.join(server.need(), server.quiet(), command)
    return status(server)


def _keep(server: Server, command: commands.KeepHeard) -> Status:
    capturing.keep(server.need(), server.quiet(), command)
    return status(server)


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


def _effects(server: Server, command: commands.MeasureEffects) -> Costs:
    engine = server.need()
    alone, channel = costs.measured(engine.plan.rate_hz, engine.plan.period)
    return Costs(engine.plan.rate_hz, engine.plan.period, alone, channel, engine.times.usual_us())


def status(server: Server) -> Status:
    engine = server.engine
    if engine is None or engine.lost:
        return Status()
    return Status(
        engine.plan.session, engine.plan.title, engine.transport.state, engine.plan.revision, engine.plan.rate_hz,
        engine.plan.inputs, engine.transport.position, engine.run.header.run if engine.run else None, engine.dropouts,
        engine.round_trip_samples, engine.driver.latency.round_trip_samples, list(engine.missing), list(engine.drops),
        server.quiet(), server.telemetry.limited if server.telemetry is not None else [],
        engine.stand_in.room() if engine.stand_in is not None else None, LOOK_BACK_S, engine.ring.bytes // 1_000_000,
        server.telemetry.presence() if server.telemetry is not None else [],
    )


_DOES: dict[type[Command[Any]], Callable[[Server, Any], Any]] = {
    commands.Ping: lambda server, _: "here", commands.GetStatus: lambda server, _: status(server),
    commands.RunPlan: _run_plan, commands.Roll: _roll, commands.Stop: _stop, commands.Locate: _locate,
    commands.MoveControls: _move, commands.HoldKeys: _hold, commands.Capture: _capture, commands.KeepHeard: _keep,
    commands.PunchOut: _punch_out, commands.JoinRun: _join, commands.LeaveRun: _leave,
    commands.PrintClick: _print,
    commands.ResetMeters: _reset,
    commands.ChooseMeters: _meters, commands.GetSound: _sound, commands.PlayProbe: _probe, commands.MeasureLoad: _load,
    commands.MeasureEffects: _effects,
    commands.AskRoom: _room,
}

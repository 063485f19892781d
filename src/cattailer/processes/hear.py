"""``cattailer hear``: what an ear gets, as it comes out of the output sockets, in a file."""

from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select

from cattailer.core.errors import NotFound, Refusal, WrongUsage
from cattailer.core.plan import Plan
from cattailer.engine.block.engine import Engine
from cattailer.engine.offline import run_beside, run_inline
from cattailer.liveroom.clock import VirtualClock, WallClock
from cattailer.media import bwf
from cattailer.processes import home as homes
from cattailer.processes.doctor import no_engine
from cattailer.processes.interfaces import open_live_room
from cattailer.processes.postgres import Postgres
from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo
from cattailer.services.session.compiling import compile_plan
from cattailer.store.database import Database
from cattailer.store.models import Session

Floats = NDArray[np.float32]


@dataclass(frozen=True)
class Late:
    """In samples, from the socket to the ear."""

    direct: int | None
    through: int


@dataclass(frozen=True)
class Heard:
    """``late`` is by track: those that a socket feeds."""

    rate_hz: int
    mix: str
    path: Path
    samples: int
    late: dict[str, Late]


def plan_of(title: str) -> Plan:
    """The plan of a session in the studio's database. Raises NotFound, and Refusal while the studio runs."""
    home = homes.prepare()
    claim = homes.lock(home)
    server = Postgres(home.database, home.logs / "postgres.log")
    try:
        server.start()
        database = Database(server.url)
        database.migrate()
        desk = Desk(database, no_engine(), home.media)
        with database.transaction() as db:
            found = db.scalar(select(Session).where(Session.title == title).order_by(Session.id).limit(1))
            if found is None:
                raise NotFound(f"There is no session called “{title}”.")
            found.hearing = {}  # what was tried is not in use
            plan = compile_plan(desk, found)
        database.engine.dispose()
        return plan
    finally:
        server.stop()
        claim.close()


def outputs_of(plan: Plan, mix: str | None, output: int | None) -> tuple[str, list[int]]:
    """A name and the outputs (from 0) of a mix, or of an output as printed. Raises Refusal."""
    if (mix is None) == (output is None):
        raise WrongUsage("Say what to hear: --mix NAME or --output N.")
    if output is not None:
        if not 1 <= output <= plan.outputs:
            raise Refusal(f"The interface has outputs 1 to {plan.outputs}.")
        return f"output {output}", [output - 1]
    for each in plan.mixes:
        if each.name.lower() == str(mix).strip().lower():
            if not each.outputs:
                raise Refusal(f"{each.name} has no output, so nobody hears it. Give it one under Patch.")
            return each.name, list(each.outputs)
    raise Refusal(f"There is no mix {mix!r}; there are: {', '.join(m.name for m in plan.mixes)}.")


def hear(plan: Plan, mix: str | None, output: int | None, seconds: float, out: Path, virtual: bool) -> Heard:
    """Lets everybody play and rolls from bar 1. Never writes over a file. Raises Refusal, OSError."""
    if not 0 < seconds <= 3600:
        raise WrongUsage(f"Seconds must be more than 0 and at most 3,600, not {seconds:g}.")
    if out.exists():
        raise Refusal(f"{out} is there already. Choose another name; nothing was changed.", 409)
    name, wanted = outputs_of(plan, mix, output)
    room = open_live_room(plan, VirtualClock() if virtual else WallClock())
    for player in room.room().players:
        room.command("ask", {"player": player, "mode": "perform"})
    engine = Engine(room, plan)
    engine.soon(engine.roll)
    samples, parts = round(seconds * plan.rate_hz), list[Floats]()
    room.listener = lambda sound: parts.append(sound[wanted].copy())
    done = 0

    def going() -> bool:
        nonlocal done
        done = len(parts) * plan.period
        return done < samples

    (run_inline if virtual else run_beside)(engine, going)
    sound = np.concatenate(parts, axis=1)[:, :samples]
    origin = bwf.Origin(plan.title, name, 0, datetime.now().astimezone(), "heard", tuple(n + 1 for n in wanted), "")
    writer = bwf.BwfWriter(out, bwf.Format(plan.rate_hz, len(wanted), 32), origin)
    writer.write(sound)
    writer.close()
    late = {
        t.name: Late(room.profile.direct_samples if plan.direct else None, engine.late_samples)
        for t in plan.tracks if any(0 <= i < plan.inputs for i in t.inputs)
    }
    return Heard(plan.rate_hz, name, out, sound.shape[1], late)


def demo_plan() -> Plan:
    """The demo, everything armed, so that all of it is heard live."""
    return replace(demo.plan(True), direct=True)

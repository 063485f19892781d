"""The main job without a browser or a database: the demo's tracks straight into a folder."""

import itertools
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

from cattailer.core.errors import Refusal
from cattailer.core.plan import Plan
from cattailer.engine.block.engine import Engine
from cattailer.engine.block.runs import make_run
from cattailer.engine.offline import run_beside, run_inline
from cattailer.liveroom.clock import VirtualClock, WallClock
from cattailer.media import journal
from cattailer.media.runheader import header
from cattailer.processes.interfaces import open_live_room
from cattailer.services.session import demo


@dataclass(frozen=True)
class Recorded:
    rate_hz: int
    dropouts: int
    story: journal.RunStory


def choose(plan: Plan, tracks: str) -> Plan:
    """The plan with the named tracks armed: "all", or names or numbers with commas.

    Raises Refusal for a name that is not there.
    """
    if tracks.strip().lower() == "all":
        return replace(plan, tracks=tuple(replace(t, armed=True) for t in plan.tracks))
    wanted = {part.strip().lower() for part in tracks.split(",") if part.strip()}
    known = {t.name.lower(): t.id for t in plan.tracks} | {str(t.id): t.id for t in plan.tracks}
    unknown = wanted - known.keys()
    if unknown or not wanted:
        names = ", ".join(t.name for t in plan.tracks)
        raise Refusal(f"There is no track {sorted(unknown)[0] if unknown else tracks!r}; there are: {names}.")
    ids = {known[name] for name in wanted}
    return replace(plan, tracks=tuple(replace(t, armed=t.id in ids) for t in plan.tracks))


def record_demo(
    tracks: str, seconds: float, out: Path, virtual: bool, rate_hz: int, period: int, seed: int
) -> Recorded:
    """Captures the players from bar 1 for ``seconds``. Raises Refusal, OSError."""
    if not 0 < seconds <= 24 * 3600:
        raise Refusal(f"Seconds must be more than 0 and at most 86,400, not {seconds:g}.")
    plan = choose(demo.plan(False, rate_hz, period), tracks)
    clock = VirtualClock() if virtual else WallClock()
    engine = Engine(open_live_room(plan, clock, seed=seed), plan)
    samples = round(seconds * rate_hz)
    out.mkdir(parents=True, exist_ok=True)
    made = _header(out, plan)
    run = make_run(engine, out, f"run-{made.number:03}", made)
    engine.soon(lambda: engine.begin_run(run, samples))
    (run_inline if virtual else run_beside)(engine, lambda: not run.done)
    if run.message:
        raise Refusal(run.message, 507)
    assert run.story is not None
    return Recorded(rate_hz, engine.dropouts, run.story)


def _header(out: Path, plan: Plan) -> journal.RunHeader:
    """With the first run number none of whose files is there: nothing is ever overwritten."""
    armed, now = [t.id for t in plan.tracks if t.armed], datetime.now().astimezone()
    for number in itertools.count(1):
        made = header(plan, number, armed, now)
        paths = [*(f.path for f in made.files), f"run-{number:03}{journal.SUFFIX}"]
        if not any((out / path).exists() for path in paths):
            return made
    raise AssertionError("numbers do not end")


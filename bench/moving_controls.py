"""Two hands that move controls thirty times a second while sixteen tracks are captured: what is lost, and where they end.

Beside it, in a process of its own, a bare callback waits for the same clock and does nothing: what it is late by is the
machine's doing.

usage: python bench/moving_controls.py [SECONDS]
"""

import json
import random
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from dataclasses import replace
from pathlib import Path

from common import BARE, spread, tell

# isort: split
from cattailer.core.mix.moving import Move, moved
from cattailer.core.plan import MixPlan, Plan, TrackPlan
from cattailer.engine.messages.commands import Capture, MoveControls, RunPlan, Stop
from cattailer.engine.process.client import EngineClient
from cattailer.engine.process.server import EngineServer
from cattailer.liveroom.clock import WallClock
from cattailer.media import journal
from cattailer.processes.interfaces import open_live_room
from cattailer.services.session import demo

QUEUE_S = 0.5
def plan_of() -> Plan:
    made = demo.plan(False)
    tracks = tuple(TrackPlan(n + 1, f"t{n}", (n % 10,), True) for n in range(16))
    mixes = tuple(MixPlan(n, f"Mix {n}", (2 * n - 2, 2 * n - 1), -6.0, False) for n in range(1, 6))
    routes = tuple((f"track:{t.id}", f"mix:{m.id}") for t in tracks for m in mixes)
    return replace(made, tracks=tracks, groups=(), mixes=mixes, routes=routes)


def hand(address: str, seconds: float, ends: tuple[tuple[str, str, str], ...], seed: int, told: list[float]) -> dict[tuple[str, str, str], float]:
    client, rng, last = EngineClient(address), random.Random(seed), {}
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        end = rng.choice(ends)
        last[end] = round(rng.uniform(-40, 6), 1)
        began = time.perf_counter()
        client.ask(MoveControls(1, [(*end, last[end])]))
        told.append(1000 * (time.perf_counter() - began))
        time.sleep(1 / 30)
    return last


def engine(address: str, telemetry: str) -> None:
    """An engine in a process of its own, as it runs in the studio. At the end it is told where controls were left, and
    says how many are elsewhere."""
    server = EngineServer(lambda p: open_live_room(p, WallClock(1000 * QUEUE_S)), address, telemetry)
    serving = threading.Thread(target=server.serve)
    serving.start()
    left = [Move(*move) for move in json.loads(sys.stdin.readline())]
    running = server.need().plan
    print(sum(moved(running, move) is not running for move in left), flush=True)
    server.shut_down()
    serving.join(20)


def main() -> None:
    if sys.argv[1:2] == ["--engine"]:
        engine(*sys.argv[2:4])
        return
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 60.0
    plan = plan_of()
    with tempfile.TemporaryDirectory() as folder:
        address = f"ipc://{folder}/c"
        apart = subprocess.Popen([sys.executable, __file__, "--engine", address, f"ipc://{folder}/t"], text=True,
                                 stdin=subprocess.PIPE, stdout=subprocess.PIPE)
        client = EngineClient(address)
        client.ask(RunPlan(plan.to_dict(), []), 60.0)
        files = tuple(journal.RunFile(t.id, t.name, f"{t.name}.wav", 1, t.inputs) for t in plan.tracks)
        header = journal.RunHeader(str(uuid.uuid4()), 1, 1, "bench", 48000, 24, 0, "2026-01-01T00:00:00+00:00", files)
        client.ask(Capture(journal.plain_header(header), str(Path(folder, "run")), "run"))
        bare = subprocess.Popen([sys.executable, "-c", BARE, str(plan.period / 48000), str(seconds), str(QUEUE_S)],
                                stdout=subprocess.PIPE, text=True)
        ends = (tuple((f"track:{n}", "mix:2", "level_db") for n in range(1, 9)), tuple((f"track:{n}", "", "fader_db") for n in range(9, 17)))
        times: list[float] = []
        found: list[dict[tuple[str, str, str], float]] = []
        hands = [threading.Thread(target=lambda n=n: found.append(hand(address, seconds, ends[n], n, times))) for n in (0, 1)]
        for each in hands:
            each.start()
        for each in hands:
            each.join()
        time.sleep(0.2)
        wanted = [(*end, value) for last in found for end, value in last.items()]
        dropouts = client.ask(Stop(1)).status.dropouts
        lost, late = bare.communicate()[0].split()
        wrong = int(apart.communicate(json.dumps(wanted) + "\n")[0])
    tell(what="two hands, 30 moves a second each, sixteen tracks captured, 128 samples", seconds=seconds, moves=len(times),
         answer_ms=spread(times), dropouts=dropouts, bare_dropouts=int(lost), bare_worst_ms=float(late),
         controls=len(wanted), not_where_they_were_left=wrong)


if __name__ == "__main__":
    main()

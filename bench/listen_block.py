"""What a block costs when ears are busy: 64 tracks with equaliser and compressor on each, 12 cue mixes, two reverbs.

Blocks come at the pace of the interface, each with the sound of its own, so that caches are as cold as they would be. The
processor time of the thread that computes is told beside the time on the wall, which other work on the machine lengthens.

    listen_block.py [awake]

With ``awake`` the thread counts the time between blocks away instead of sleeping, so that the processor keeps its full
clock, as a studio's machine is set to do.
"""

import sys
import threading
import time
from dataclasses import replace

from common import spread, tell  # before NumPy, which reads how many threads it may have

# isort: split
import numpy as np

from cattailer.core.gear.interface import Profile, Socket
from cattailer.core.gear.latency import Latency
from cattailer.core.mix.cells import Cell
from cattailer.core.mix.effects import Compressor, Effects, Equaliser, Reverb
from cattailer.core.plan import MixPlan, Plan, Preamps, ReturnPlan, TrackPlan
from cattailer.engine.block.engine import Engine
from cattailer.media import profile_toml
from cattailer.services.session import demo

CHANNELS, CUES = 64, 12
SECONDS = 8.0


class Noise:
    """An interface with 64 inputs, that is asked for nothing else."""

    def __init__(self, profile: Profile, period: int) -> None:
        self.profile, self.rate_hz, self.period = profile, 48000, period
        self.latency = Latency(period, period)

    def run(self, process: object, going: object) -> None:
        raise NotImplementedError

    def set_preamps(self, preamps: Preamps) -> None: ...
    def set_direct(self, gains: object) -> None: ...


def plan_of(period: int) -> Plan:
    strip = Effects(
        Equaliser(cut_hz=80, low_db=2, one_db=-3, two_db=2, high_db=1.5), Compressor(threshold_db=-30, ratio=4)
    )
    tracks = tuple(
        TrackPlan(n + 1, f"t{n}", (n,), True, -3.0, (n % 9 - 4) / 4, effects=strip) for n in range(CHANNELS)
    )
    mixes = (MixPlan(1, "Main", (0, 1)), *(MixPlan(2 + n, f"Cue {n}", (), -6.0, False, limit_dbfs=-3.0) for n in range(CUES - 1)))
    returns = (ReturnPlan(1, "Small", effects=Effects(reverb=Reverb(space="pantry"))),
               ReturnPlan(2, "Barn", effects=Effects(reverb=Reverb())))
    routes = tuple(
        (f"track:{t.id}", to) for t in tracks
        for to in (*(f"mix:{m.id}" for m in mixes), *(f"return:{r.id}" for r in returns))
    ) + tuple((f"return:{r.id}", f"mix:{m.id}") for r in returns for m in mixes)
    cells = tuple(Cell(f"track:{t.id}", f"mix:{m.id}", -1.0 * ((t.id + m.id) % 12)) for t in tracks for m in mixes)
    return replace(
        demo.plan(True, period=period, click=True), inputs=CHANNELS, tracks=tracks, groups=(), mixes=mixes,
        returns=returns, routes=routes, cells=cells,
        preamps=Preamps((0.0,) * CHANNELS, (False,) * CHANNELS, (0.0,) * CHANNELS),
    )


def measure(period: int, awake: bool) -> dict[str, object]:
    plan = plan_of(period)
    profile = replace(
        profile_toml.shipped()["marshgate-16"], sockets=tuple(Socket(n + 1, "XLR") for n in range(CHANNELS))
    )
    engine = Engine(Noise(profile, period), plan)
    engine.transport.roll()
    engine.read_ahead()
    noise = (np.random.default_rng(1).standard_normal((CHANNELS, 48000)) * 0.05).astype(np.float32)
    outputs = np.zeros((plan.outputs, period), np.float32)
    wall, own = [], []
    stop = threading.Event()

    def pump() -> None:
        while not stop.wait(0.04):
            engine.pump()

    worker = threading.Thread(target=pump)
    worker.start()
    began, sample = time.perf_counter(), 0
    while sample < SECONDS * 48000:
        ahead = began + sample / 48000 - time.perf_counter()
        if ahead > 0 and not awake:
            time.sleep(ahead)
        while began + sample / 48000 > time.perf_counter():
            pass
        at = sample % (48000 - period)
        inputs = noise[:, at : at + period].copy()
        started, used = time.perf_counter(), time.thread_time()
        engine.process(inputs, outputs, sample, 0)
        own.append(1e6 * (time.thread_time() - used))
        wall.append(1e6 * (time.perf_counter() - started))
        sample += period
        engine.frames.clear()
    stop.set()
    worker.join()
    period_us = 1e6 * period / 48000
    own = sorted(own[100:])
    costs = spread(wall[100:])
    worst = own[int(0.999 * (len(own) - 1))]
    return {
        "period": period, "period_us": round(period_us, 1), "block_us": costs,
        "share_of_period": round(costs["median"] / period_us, 4),
        "thread_p999_us": round(worst, 1), "thread_p999_share": round(worst / period_us, 4),
    }


def main() -> None:
    tell(what="64 tracks with equaliser and compressor, 12 mixes with limiters, two reverbs, at 48 kHz",
         sizes=[measure(n, "awake" in sys.argv[1:]) for n in (64, 256)])


if __name__ == "__main__":
    main()

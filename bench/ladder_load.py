"""The ladder's predicted load against what is then measured, at each buffer size, with the demo's plan.

usage: python bench/ladder_load.py [SECONDS]
"""

import sys
import threading
import time
from statistics import median

from common import tell

from cattailer.core.gear.ladder import Load
from cattailer.engine.block import load
from cattailer.engine.block.blocktimes import BlockTimes
from cattailer.engine.block.engine import Engine
from cattailer.liveroom.clock import WallClock
from cattailer.media import profile_toml
from cattailer.processes.interfaces import open_live_room
from cattailer.services.session import demo

TURNS = 3
PROFILE = profile_toml.shipped()["marshgate-16"]


def measured(period: int, seconds: float) -> tuple[float, float]:
    """Load as the ladder predicts it while an engine runs, and as that engine then measures it: medians of three turns,
    one after the other, since the machine's speed swings."""
    plan = demo.plan(True, period=period, click=True)
    engine = Engine(open_live_room(plan, WallClock()), plan)
    until = [time.monotonic() + 600.0]
    worker = threading.Thread(target=engine.driver.run, args=(engine.process, lambda: time.monotonic() < until[0]))
    worker.start()
    time.sleep(1.0)
    engine.between_blocks(engine.transport.roll)
    predicted, found = [], []
    for _ in range(TURNS):
        predicted.append(Load(period, tuple(load.measure(PROFILE, plan, period))).share(plan.rate_hz))
        engine.times = BlockTimes(period, plan.rate_hz)
        time.sleep(seconds)
        found.append(median(engine.times.kept()) / (1e6 * period / plan.rate_hz))
    until[0] = 0.0
    worker.join()
    return median(predicted), median(found)


def main() -> None:
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 4.0
    rows = []
    for period in PROFILE.buffers:
        predicted, found = measured(period, seconds)
        rows.append({"buffer": period, "predicted": round(predicted, 5), "measured": round(found, 5), "ratio": round(predicted / found, 3)})
    tell(what="share of the period that computing takes", sizes=rows)


if __name__ == "__main__":
    main()

"""Running an engine without a server: in this very thread, its disk work in between or beside it."""

import sys
import threading
import time
from collections.abc import Callable

from cattailer.engine.driver import Floats
from cattailer.engine.engine import Engine

PUMP_SAMPLES = 24000
PUMP_PAUSE_S = 0.03


def run_inline(engine: Engine, going: Callable[[], bool]) -> None:
    """Drives ``engine`` while ``going()``; meant for the virtual clock, works with any."""
    left = PUMP_SAMPLES

    def process(inputs: Floats, outputs: Floats, sample: int, lost: int) -> tuple[bool, int, int]:
        nonlocal left
        answer = engine.process(inputs, outputs, sample, lost)
        left -= inputs.shape[1] + lost
        if left <= 0:
            left = PUMP_SAMPLES
            engine.pump()
        return answer

    engine.pump()
    engine.driver.run(process, going)
    engine.pump()


def run_beside(engine: Engine, going: Callable[[], bool]) -> None:
    """As ``run_inline``, with the disk work in a thread beside it.

    The virtual clock would leave the disk behind, so it waits when half a ring is unwritten.
    """
    stop = threading.Event()

    def pump() -> None:
        while not stop.is_set():
            engine.pump()
            stop.wait(PUMP_PAUSE_S)

    def process(inputs: Floats, outputs: Floats, sample: int, lost: int) -> tuple[bool, int, int]:
        while engine.unwritten > engine.ring.size // 2:
            time.sleep(0.001)
        return engine.process(inputs, outputs, sample, lost)

    engine.pump()
    worker = threading.Thread(target=pump, daemon=True)
    worker.start()
    before = sys.getswitchinterval()
    sys.setswitchinterval(0.0005)
    try:
        engine.driver.run(process, going)
    finally:
        sys.setswitchinterval(before)
        stop.set()
        worker.join()
    engine.pump()


def run_for(engine: Engine, samples: int) -> None:
    """Drives ``engine`` for at least ``samples`` samples."""
    end = engine.sample + samples
    run_inline(engine, lambda: engine.sample < end)

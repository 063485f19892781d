"""Running an engine without a server: in this very thread, its disk work in between or beside it."""

import threading
from collections.abc import Callable

from cattailer.engine.block.engine import Engine
from cattailer.engine.driver import Floats, Timeline

PUMP_SAMPLES = 12000
PUMP_PAUSE_S = 0.03


def run_inline(engine: Engine, going: Callable[[], bool]) -> None:
    """Drives ``engine`` while ``going()``; meant for the virtual clock, works with any."""
    left = PUMP_SAMPLES

    def process(inputs: Floats, outputs: Floats, sample: int, lost: int) -> Timeline:
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
    """As ``run_inline``, with the disk work in a thread beside it, as the wall clock needs it."""
    stop = threading.Event()

    def pump() -> None:
        while not stop.is_set():
            engine.pump()
            stop.wait(PUMP_PAUSE_S)

    worker = threading.Thread(target=pump, daemon=True)
    worker.start()
    try:
        engine.driver.run(engine.process, going)
    finally:
        stop.set()
        worker.join()
    engine.pump()

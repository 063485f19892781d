"""Running an engine without a server: in this very thread, its disk work in between or beside it."""

from collections.abc import Callable

from cattailer.engine.block.engine import Engine
from cattailer.engine.driver import Floats, Timeline
from cattailer.engine.process.loops import Loops

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
    """As ``run_inline``, with the disk work in threads beside it, as the wall clock needs it."""
    loops = Loops()
    works = {"next": engine.make_runs, "write": engine.write, "keep": engine.keep, "read": engine.read_ahead}
    for name, work in works.items():
        loops.start(name, work, PUMP_PAUSE_S)
    try:
        engine.driver.run(engine.process, going)
    finally:
        loops.stop()
    engine.pump()

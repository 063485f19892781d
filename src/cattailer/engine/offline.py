"""Running an engine in this very thread, block after block, with its disk work in between."""

from collections.abc import Callable

from cattailer.engine.driver import Floats
from cattailer.engine.engine import Engine

PUMP_SAMPLES = 24000


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


def run_for(engine: Engine, samples: int) -> None:
    """Drives ``engine`` for at least ``samples`` samples."""
    end = engine.sample + samples
    run_inline(engine, lambda: engine.sample < end)

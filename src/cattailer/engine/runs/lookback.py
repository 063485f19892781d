"""What was just heard, kept after the fact: inputs are always held, so that nothing that was played need be lost."""

from dataclasses import dataclass

from cattailer.core.errors import NotNow
from cattailer.engine.block.engine import Engine
from cattailer.engine.block.ring import LOOK_BACK_S
from cattailer.engine.writing.runwriter import RunWriter

LEAST_S = 0.2


@dataclass(frozen=True)
class Held:
    """Ring samples [first, stop), and where they lie on the timeline: in place if it rolled in them, so that their end
    is right, else at the playhead. What has no place there, before 0, are the first ``lead``: they lie before the take
    as what is counted in does. ``start`` is where the rest begins."""

    first: int
    stop: int
    start: int
    lead: int = 0


def held(engine: Engine) -> Held:
    """What can be kept now; between blocks. Raises NotNow where nothing came yet."""
    stop, rate = engine.ring.written, engine.plan.rate_hz
    first = max(engine.ring.oldest, stop - round(LOOK_BACK_S * rate))
    if stop - first < LEAST_S * rate:
        raise NotNow("The interface was opened just now, so there is nothing to keep yet.")
    rolled = engine.rolled
    if rolled is None or rolled[0] <= first:
        return Held(first, stop, max(0, engine.transport.position))
    sample, position = rolled
    # What arrives at a sample was played one round trip before.
    start = position - engine.late_samples - (sample - first)
    lead = max(0, -start)
    if stop - first - lead < LEAST_S * rate:  # it began to roll a moment ago
        return Held(first, stop, max(0, engine.transport.position))
    return Held(first, stop, start + lead, lead)


def keep(engine: Engine, run: RunWriter, before: RunWriter | None, what: Held) -> None:
    """In the block path: writes it as a run of its own, beside whatever goes on."""
    if engine.ring.oldest > what.first:
        raise NotNow("That was too long ago: it is not held any more. Nothing was kept.")
    if before is not None:
        engine.keep_run(before, what.first, what.first + what.lead)
    engine.keep_run(run, what.first + what.lead, what.stop)

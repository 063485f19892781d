"""A plan as the block path uses it: everything that can be worked out beforehand, is."""

import numpy as np

from cattailer.core.mix.compiling import Compiler, compile_flow
from cattailer.core.mix.flow import Flow, gates, is_inside
from cattailer.core.mix.hearing import heard_at
from cattailer.core.mix.limiting import TRUE_PEAK
from cattailer.core.mix.listening import DIRECT
from cattailer.core.plan import SOFTWARE_CHANNELS, Plan
from cattailer.core.transport import STATES
from cattailer.core.units import amplitude
from cattailer.engine.block.lying import Lying
from cattailer.engine.block.ring import Ring
from cattailer.engine.block.summing import Summing, changes
from cattailer.engine.sources.click import Click
from cattailer.engine.sources.guide import GuideNotes
from cattailer.engine.sources.patterns import PatternPlayer
from cattailer.engine.sources.playback import Playback

NO_LIMIT = 1e9


class Prepared:
    """A plan with its sources, its flow and what sums it, ready to run.

    Where only gains and settings differ from ``base``, the one before, ``summing`` is the same, and ``changes`` and
    ``settings`` say what becomes of it.
    """

    def __init__(
        self, plan: Plan, playback: Playback, patterns: PatternPlayer | None, click: Click | None,
        guides: GuideNotes | None, inside: Ring, base: "Prepared | None",
    ) -> None:
        self.plan = plan
        self.playback = playback
        self.patterns = patterns
        self.click = click
        self.guides = guides
        self.inside = inside
        """Sound made in here, on its way to the input ring: see ``Inside.words``."""
        self.compiler: Compiler | None = None
        self.compiler, self.flow = _compiled(plan, base)
        self.base = base
        goes_on = base is not None and base.flow.key == self.flow.key
        self.summing: Summing = base.summing if base is not None and goes_on else Summing(self.flow, plan)
        self.changes = changes(base.flow.matrices, self.flow.matrices) if base is not None and goes_on else []
        self.settings = self.summing.settings(self.flow)
        self.direct = _direct(plan)
        self.lying: Lying = base.lying if base is not None and _lies_alike(base.plan, plan) else Lying(plan)
        self.mixes, self.feeders = 2 * len(plan.mixes), 2 * len(plan.feeders)
        self.outputs = np.zeros((plan.outputs, self.mixes), np.float32)
        for n, mix in enumerate(plan.mixes):
            for side, output in enumerate(mix.outputs):
                self.outputs[output, 2 * n + side] = 1.0
        self.ceilings = np.array([
            NO_LIMIT if m.limit_dbfs is None else amplitude(m.limit_dbfs) for m in plan.mixes
        ], np.float32)
        self.true_peak = np.array([m.limit_dbfs is not None and m.limit_by == TRUE_PEAK for m in plan.mixes])
        self.heard = heard_at(plan, self.flow, self.direct)
        self.keeps = SOFTWARE_CHANNELS + self.feeders if patterns or plan.feeders else 0


def prepare(plan: Plan, playback: Playback, old: Prepared | None, late_samples: int) -> Prepared:
    """Keeps the pattern player, the click, what sums and what waits on its way to the ring where nothing about them
    changed."""
    patterns = click = None
    if plan.plays_patterns:
        kept = old.patterns if old is not None and old.plan.tempo == plan.tempo else None
        patterns = kept or PatternPlayer(plan.tempo)
    if plan.click:
        same = old is not None and old.plan.tempo == plan.tempo and old.plan.clicking == plan.clicking
        click = (old.click if old is not None and same else None) or Click(plan.tempo, plan.clicking)
    guides = None
    if plan.guides:
        same = old is not None and _guides_alike(old.plan, plan)
        kept_guides = old.guides if old is not None and same else None
        guides = kept_guides or GuideNotes(plan.guides, plan.tempo, plan.reference_hz)
    if old is not None and old.plan.feeders == plan.feeders:
        inside = old.inside
    else:
        inside = Ring(SOFTWARE_CHANNELS + 2 * len(plan.feeders), late_samples + 4 * 8192)
        inside.write_silence(inside.size)
    prepared = Prepared(plan, playback, patterns, click, guides, inside, old)
    if old is not None:
        old.base = None  # nobody asks for it any more
    return prepared


def _compiled(plan: Plan, base: Prepared | None) -> tuple[Compiler, Flow]:
    """The compiler goes on with the plan: what is prepared last has it."""
    if base is not None and base.compiler is not None and (flow := base.compiler.again(plan)) is not None:
        compiler, base.compiler = base.compiler, None
        return compiler, flow
    compiler = Compiler(plan)
    flow = compiler.flow
    if base is not None and base.flow.key == flow.key and _listens_alike(base.plan, plan):
        flow.gates.update(base.flow.gates)
    for moment in STATES:
        gates(flow, plan, moment)
    return compiler, flow


def _direct(plan: Plan) -> Flow | None:
    """The flow inside the interface, where anybody listens that way."""
    ways = {t.listen.path for t in plan.tracks} | {c.path for c in plan.cells}
    if not plan.direct or DIRECT not in ways:
        return None
    flow = compile_flow(plan, DIRECT)
    for moment in STATES:
        gates(flow, plan, moment)
    return flow


def _listens_alike(old: Plan, new: Plan) -> bool:
    """Whether what is heard in each moment is the same, for flows of the same key."""
    return [t.armed for t in old.tracks] == [t.armed for t in new.tracks]


def _guides_alike(old: Plan, new: Plan) -> bool:
    return (old.tempo, old.guides, old.reference_hz) == (new.tempo, new.guides, new.reference_hz)


def _lies_alike(old: Plan, new: Plan) -> bool:
    return old.pieces is new.pieces and [(t.id, t.armed, is_inside(old, n)) for n, t in enumerate(old.tracks)] == [
        (t.id, t.armed, is_inside(new, n)) for n, t in enumerate(new.tracks)
    ]

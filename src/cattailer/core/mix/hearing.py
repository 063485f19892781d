"""What is heard at the outputs of each mix while a capture runs."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.flow import OF_CLICK, Flow, gates
from cattailer.core.plan import Plan
from cattailer.core.standin import HeardAt
from cattailer.core.transport import CAPTURING


def heard_at(plan: Plan, flow: Flow, direct: Flow | None) -> tuple[HeardAt, ...]:
    """By mix, for those that have outputs. ``direct`` is the flow inside the interface, where there is one."""
    clicks = np.array([v.track == OF_CLICK for v in flow.voices] or [False])[flow.voice_of] & plan.click
    alive = [(each, _live(each, plan)) for each in (flow, direct) if each is not None]
    out = []
    for n, mix in enumerate(plan.mixes):
        if not mix.outputs:
            continue
        reached = [(each, sockets, _reached(each, (2 * n, 2 * n + 1))) for each, sockets in alive]
        through, inside = ([frozenset(s[got & (s > 0)].tolist()) for _, s, got in reached] + [frozenset()])[:2]
        out.append(HeardAt(mix.outputs, through, inside, bool((reached[0][2] & clicks).any())))
    return tuple(out)


def _live(flow: Flow, plan: Plan) -> NDArray[np.intp]:
    """The socket (from 1) that each voice channel is heard live of, 0 for none."""
    live = gates(flow, plan, CAPTURING)[0].max(axis=0) * flow.live
    hardware = (live != 0.0) & (flow.source < plan.inputs)
    return np.where(hardware, flow.source + 1, 0)


def _reached(flow: Flow, rows: Sequence[int]) -> NDArray[np.bool_]:
    """Whether each voice channel comes to any of the given rows of the mixes."""
    reached = (flow.matrices[-1][list(rows)] != 0.0).any(axis=0)
    for level, matrix in zip(flow.levels[::-1], flow.matrices[-2::-1], strict=True):
        on = reached[flow.channels + level.first : flow.channels + level.stop]
        reached |= (matrix[on] != 0.0).any(axis=0)
    return np.asarray(reached[: flow.channels])

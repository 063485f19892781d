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
    return tuple(
        HeardAt(m.outputs, _sockets(flow, plan, (2 * n, 2 * n + 1)),
                _sockets(direct, plan, (2 * n, 2 * n + 1)) if direct is not None else frozenset(),
                plan.click and _clicks(flow, (2 * n, 2 * n + 1)))
        for n, m in enumerate(plan.mixes) if m.outputs
    )


def _reached(flow: Flow, rows: Sequence[int]) -> NDArray[np.bool_]:
    """Whether each voice channel comes to any of the given rows of the mixes."""
    reached = (flow.matrices[-1][list(rows)] != 0.0).any(axis=0)
    for level, matrix in zip(flow.levels[::-1], flow.matrices[-2::-1], strict=True):
        on = reached[flow.channels + level.first : flow.channels + level.stop]
        reached |= (matrix[on] != 0.0).any(axis=0)
    return np.asarray(reached[: flow.channels])


def _sockets(flow: Flow, plan: Plan, rows: Sequence[int]) -> frozenset[int]:
    live = gates(flow, plan, CAPTURING)[0].max(axis=0) * flow.live
    sources = flow.source[_reached(flow, rows) & (live != 0.0)]
    return frozenset(int(s) + 1 for s in sources if 0 <= s < plan.inputs)


def _clicks(flow: Flow, rows: Sequence[int]) -> bool:
    voices = np.array([v.track == OF_CLICK for v in flow.voices] or [False])
    return bool((_reached(flow, rows) & voices[flow.voice_of]).any()) if flow.channels else False

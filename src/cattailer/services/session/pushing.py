"""How the engine comes by what was committed."""

import threading
from dataclasses import dataclass
from typing import Any

from cattailer.core.errors import Refusal
from cattailer.core.plan import Plan
from cattailer.core.takes.pieces import Piece
from cattailer.engine.messages.commands import NEEDS_PIECES, RunPlan
from cattailer.services.desk.desk import Desk, log
from cattailer.services.session.compiling import compile_plan, with_takes
from cattailer.services.session.reading import get_session

PLAN_S = 30.0


class LivePushing:
    """One plan after another: whoever waited finds that the plan which just went covers its edit too."""

    def __init__(self) -> None:
        self.lock = threading.Lock()


def push(desk: Desk, session_id: int) -> None:
    """To be called after the commit: compiles the session and hands the plan to the engine, when it runs this session
    and has an older one. An engine that is away gets it later."""
    if desk.engine_state().session != session_id:
        return
    with desk.live.of(session_id, LivePushing).lock:
        state = desk.engine_state()
        with desk.database.transaction() as db:
            session = get_session(db, session_id)
            if state.session != session_id or state.revision >= session.revision:
                return
            sent = desk.live.find(session_id, LiveSent)
            if sent is not None and sent.plan.revision >= session.plan_revision:
                plan = with_takes(desk, session, sent.plan)
            else:
                plan = compile_plan(desk, session)
        try:
            send(desk, plan)
        except Refusal as why:
            log.warning("plan not taken", why=why.message)


@dataclass(frozen=True)
class LiveSent:
    """The plan that the engine was given last, also as plain values; and what sounds, by track."""

    plan: Plan
    plain: dict[str, Any]
    by_track: dict[int, list[Piece]]

    @classmethod
    def of(cls, plan: Plan, before: "LiveSent | None") -> "LiveSent":
        """``before``: the one before, of the same session. Of a plan that differs in its takes alone nothing else is
        worked out again."""
        by_track: dict[int, list[Piece]] = {}
        for piece in plan.pieces:
            by_track.setdefault(piece.track, []).append(piece)
        if before is not None and plan.alike_but_takes(before.plan):
            plain = {**before.plain, "revision": plan.revision, "takes_revision": plan.takes_revision}
        else:
            plain = plan.to_dict()
        return cls(plan, plain, by_track)


def send(desk: Desk, plan: Plan) -> None:
    """Hands a plan over; of its takes only those travel that the engine does not have. Raises what the engine
    refuses."""
    before = desk.live.find(plan.session, LiveSent)
    now = LiveSent.of(plan, before)
    wish = _since(before, now)
    try:
        desk.engine.ask(wish, PLAN_S)
    except Refusal as why:
        if why.status != NEEDS_PIECES:
            raise
        wish = RunPlan(now.plain, plan.plain_pieces())
        desk.engine.ask(wish, PLAN_S)
    if before is not None or wish.pieces is not None:  # else it goes on with what somebody gave it earlier
        desk.live.put(plan.session, now)


def _since(before: LiveSent | None, now: LiveSent) -> RunPlan:
    """With the pieces of the tracks that changed since; with none where the takes are the same, or nothing is known."""
    if before is None or before.plan.takes_revision == now.plan.takes_revision:
        return RunPlan(now.plain)
    changed = [t for t in {**before.by_track, **now.by_track} if before.by_track.get(t) != now.by_track.get(t)]
    pieces = [piece.plain() for track in changed for piece in now.by_track.get(track, [])]
    return RunPlan(now.plain, pieces, before.plan.takes_revision, changed)

"""How the engine comes by what was committed."""

import threading
from dataclasses import dataclass

from cattailer.core.errors import Refusal
from cattailer.core.plan import Plan
from cattailer.core.takes.pieces import Piece
from cattailer.engine.messages.commands import NEEDS_PIECES, RunPlan
from cattailer.services.desk.desk import Desk, log
from cattailer.services.session.compiling import compile_plan
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
            plan = compile_plan(desk, session)
        try:
            send(desk, plan)
        except Refusal as why:
            log.warning("plan not taken", why=why.message)


@dataclass(frozen=True)
class LiveSent:
    """What sounds, as the engine was given it last."""

    takes_revision: int
    by_track: dict[int, list[Piece]]


def send(desk: Desk, plan: Plan) -> None:
    """Hands a plan over; of its takes only those travel that the engine does not have. Raises what the engine
    refuses."""
    by_track: dict[int, list[Piece]] = {}
    for piece in plan.pieces:
        by_track.setdefault(piece.track, []).append(piece)
    wish = _since(desk.live.find(plan.session, LiveSent), plan, by_track)
    try:
        desk.engine.ask(wish, PLAN_S)
    except Refusal as why:
        if why.status != NEEDS_PIECES:
            raise
        wish = RunPlan(plan.to_dict(), plan.plain_pieces())
        desk.engine.ask(wish, PLAN_S)
    if wish.pieces is not None:  # else it goes on with what somebody gave it earlier
        desk.live.put(plan.session, LiveSent(plan.takes_revision, by_track))


def _since(before: LiveSent | None, plan: Plan, by_track: dict[int, list[Piece]]) -> RunPlan:
    """With the pieces of the tracks that changed since; with none where the takes are the same, or nothing is known."""
    if before is None or before.takes_revision == plan.takes_revision:
        return RunPlan(plan.to_dict())
    changed = [t for t in {**before.by_track, **by_track} if before.by_track.get(t) != by_track.get(t)]
    pieces = [piece.plain() for track in changed for piece in by_track.get(track, [])]
    return RunPlan(plan.to_dict(), pieces, before.takes_revision, changed)

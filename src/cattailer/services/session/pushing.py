"""How the engine comes by what was committed."""

import threading

from cattailer.core.errors import Refusal
from cattailer.core.plan import Plan
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


def send(desk: Desk, plan: Plan) -> None:
    """Hands a plan over; its takes travel only when the engine does not have them. Raises what the engine refuses."""
    try:
        desk.engine.ask(RunPlan(plan.to_dict()), PLAN_S)
    except Refusal as why:
        if why.status != NEEDS_PIECES:
            raise
        desk.engine.ask(RunPlan(plan.to_dict(), plan.plain_pieces()), PLAN_S)

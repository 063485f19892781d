"""How the engine comes by what was committed."""

from cattailer.core.errors import Refusal
from cattailer.engine.messages.commands import RunPlan
from cattailer.services.desk.desk import Desk, log
from cattailer.services.session.compiling import compile_plan
from cattailer.services.session.reading import get_session


def push(desk: Desk, session_id: int) -> None:
    """To be called after the commit: compiles the session and hands the plan to the engine, when it runs this session.
    An engine that is away gets it later."""
    if desk.engine_state().session != session_id:
        return
    with desk.database.transaction() as db:
        plan = compile_plan(desk, get_session(db, session_id))
    try:
        desk.engine.ask(RunPlan(plan.to_dict()), 30.0)
    except Refusal as why:
        log.warning("plan not taken", why=why.message)

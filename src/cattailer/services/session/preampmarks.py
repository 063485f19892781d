"""Preamps that are turned while something is captured: marked where it happened."""

from collections.abc import Iterable, Mapping
from typing import Any

from sqlalchemy import orm

from cattailer.core.gear.interface import SWITCHES
from cattailer.core.takes.marks import PREAMP
from cattailer.core.transport import captures
from cattailer.services.desk.desk import Desk
from cattailer.store.kept import Mark
from cattailer.store.models import Session

INPUTS = "inputs/"


def note(desk: Desk, db: orm.Session, session: Session, before: Mapping[str, Any], after: Mapping[str, Any]) -> None:
    """``before`` and ``after`` are the images of an edit."""
    moved = list(_moved(before, after))
    if not moved:
        return
    state = desk.engine_state()
    if state.session != session.id or not captures(state.state):
        return
    for words in moved:
        db.add(Mark(
            session_id=session.id, at=state.position, rate_hz=session.rate_hz, kind=PREAMP, text=words,
            run=state.run or "",
        ))


def _moved(before: Mapping[str, Any], after: Mapping[str, Any]) -> Iterable[str]:
    for key, now in after.items():
        was = before.get(key)
        if not key.startswith(INPUTS) or not now or not was:
            continue
        socket = key.removeprefix(INPUTS)
        if "gain_db" in now:
            yield f"socket {socket}: {was['gain_db']:+g} to {now['gain_db']:+g} dB"
        for name, word in SWITCHES.items():
            if name in now:
                yield f"socket {socket}: {word} {'on' if now[name] else 'off'}"

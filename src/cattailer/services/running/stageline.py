"""The stage line: whether each stage is settled, needs a look or is untouched, from the rules of the ready check."""

import threading

from sqlalchemy import orm, select

from cattailer.core.findings import Finding, stage_mark
from cattailer.services.desk.desk import Desk
from cattailer.services.running.deck import Deck
from cattailer.services.session.rows import measured_correction, take_counts
from cattailer.store.measured import Check
from cattailer.store.models import Session


class LiveFindings:
    """What stages found by listening, by the stage's key; kept by session in ``desk.live``."""

    def __init__(self) -> None:
        self._found: dict[str, list[Finding]] = {}
        self._lock = threading.Lock()

    def get(self, stage: str) -> list[Finding]:
        with self._lock:
            return list(self._found.get(stage, ()))

    def put(self, stage: str, found: list[Finding]) -> bool:
        """Whether that is something new."""
        with self._lock:
            changed = self._found.get(stage, []) != found
            self._found[stage] = list(found)
            return changed


def marks(
    desk: Desk, session: Session, deck: Deck, patch_findings: list[Finding], listen_findings: list[Finding]
) -> dict[str, str]:
    """By the stage's key: "settled", "look" or "untouched"."""
    taken = bool(take_counts(session))
    return {
        "patch": stage_mark(patch_findings, bool(session.tracks)),
        "levels": _levels(desk, session),
        "timing": "untouched" if measured_correction(session) is None else "settled",
        "listen": stage_mark(listen_findings, _has_ears(session)),
        "capture": stage_mark(deck.findings, bool(deck.runs)),
        "takes": "look" if any(r.dropouts or r.message for r in deck.runs[:1]) else "settled" if taken else "untouched",
    }


def _has_ears(session: Session) -> bool:
    """Whether somebody was given a mix of their own."""
    return any(m.kind == "cue" and (m.own or m.forward_db) for m in session.mixes) or any(
        r.level_db or r.muted for r in session.routes
    )


def _levels(desk: Desk, session: Session) -> str:
    """Something is wrong, a check was made, or nothing was done there yet."""
    live = desk.live.find(session.id, LiveFindings)
    db = orm.object_session(session)
    checked = db is not None and db.scalar(select(Check.id).where(Check.session_id == session.id).limit(1)) is not None
    return stage_mark(live.get("levels") if live else [], checked)

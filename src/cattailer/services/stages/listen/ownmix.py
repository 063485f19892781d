"""The one mix that a player's device opens: found by its name in whichever session is open, so it is there the next
day too."""

from dataclasses import dataclass

from cattailer.core.errors import NotNow
from cattailer.core.mix.moving import LEVEL
from cattailer.core.patch.patch import PatchMix
from cattailer.services.desk.desk import Desk
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import patch_of
from cattailer.services.stages.listen import show
from cattailer.services.stages.listen.show import CellView, ListenPage, figure

STEPS = [(db, figure(db)) for db in range(int(LEVEL.low), int(LEVEL.high) + 1)]
"""Where a player's control may stand: dB, and what it says there."""


@dataclass(frozen=True)
class OwnRow:
    name: str
    own: bool
    cell: CellView


@dataclass(frozen=True)
class OwnMix:
    """``rows`` are what this mix has, the player's own first."""

    page: ListenPage
    mix: PatchMix
    rows: list[OwnRow]


def mix_in(desk: Desk, session_id: int, name: str) -> PatchMix:
    """The mix of that name. Raises NotNow where the session is not open, or has no such mix."""
    if desk.engine_state().session != session_id:
        raise NotNow("Another session is open in the studio. This page follows it by itself.")
    with desk.database.transaction() as db:
        return _named(list(patch_of(get_session(db, session_id)).mixes), name)


def where_is(desk: Desk, name: str) -> tuple[int, PatchMix, int]:
    """The open session, the mix of that name in it, and its rate in hertz. Raises NotNow."""
    session_id = _open(desk)
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        return session_id, _named(list(patch_of(session).mixes), name), session.rate_hz


def _open(desk: Desk) -> int:
    session_id = desk.engine_state().session
    if session_id is None:
        raise NotNow("No session is open in the studio. Wait for the engineer; this page then comes by itself.")
    return session_id


def own_mix(desk: Desk, name: str) -> OwnMix:
    """What a player's page shows. Raises NotNow."""
    page = show.show(desk, _open(desk))
    mix = _named(list(page.patch.mixes), name)
    rows = [OwnRow(r.name, c.own, c) for r in page.rows for c in r.cells if c.mix == mix.id and c.there]
    return OwnMix(page, mix, sorted(rows, key=lambda r: not r.own))


def _named(mixes: list[PatchMix], name: str) -> PatchMix:
    for mix in mixes:
        if mix.name == name and mix.kind != "main":
            return mix
    raise NotNow(f"This session has no cue mix called “{name}”. Ask the engineer for another code, or for that mix.")


def names(desk: Desk) -> list[str]:
    """Of the cue mixes that players' devices can open, in the session that is open."""
    session_id = desk.engine_state().session
    if session_id is None:
        return []
    with desk.database.transaction() as db:
        return [m.name for m in patch_of(get_session(db, session_id)).mixes if m.kind != "main"]

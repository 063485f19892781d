"""The line check as its page shows it."""

from dataclasses import dataclass

from cattailer.services.desk import standin
from cattailer.services.desk.desk import Desk
from cattailer.services.stages.patch.linecheck import LiveWalk
from cattailer.services.stages.patch.show import PatchPage


@dataclass(frozen=True)
class CheckRow:
    socket: int
    name: str
    pickup: str
    state: str


@dataclass(frozen=True)
class CheckPage:
    """``state`` of a row is "heard", "asked", "elsewhere" or "open"."""

    running: bool
    words: str
    rows: list[CheckRow]
    heard_at: int
    asked: int
    searching: bool
    found: int
    stand_in: dict[int, str]


def check(desk: Desk, session_id: int, page: PatchPage) -> CheckPage:
    live = desk.live.find(session_id, LiveWalk)
    asked = live.walk.asked if live is not None else None
    rows = []
    for i in page.patch.inputs:
        if not i.used or i.socket > page.profile.inputs:
            continue
        heard = i.checked if live is None or asked is None else i.socket in live.walk.done
        state = "heard" if heard else "asked" if asked and asked.socket == i.socket else "open"
        if live is not None and live.walk.heard_at == i.socket:
            state = "elsewhere"
        rows.append(CheckRow(i.socket, i.name or f"socket {i.socket}", i.pickup, state))
    ticked = sum(r.state == "heard" for r in rows)
    words = live.words() if live is not None and live.walk.stops else f"{ticked} of {len(rows)} rows were heard so far."
    return CheckPage(
        asked is not None, words, rows, live.walk.heard_at if live else 0, asked.socket if asked else 0,
        live is not None and not live.found and live.listening and asked is None, live.found if live else 0,
        standin.room_of(desk).plugged,
    )

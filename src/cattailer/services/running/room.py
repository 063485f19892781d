"""How the stand-in's room is set up in a session: cables, microphones, headphones, and what is wrong with them.

It is kept with the session, so a restart, another buffer or another session in between changes nothing of it.
"""

from collections.abc import Iterable

from cattailer.core.errors import NotNow
from cattailer.core.patch.patch import PatchInput
from cattailer.core.standin import arranged
from cattailer.services.desk import standin
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import count_on
from cattailer.services.session.pushing import push
from cattailer.services.session.reading import get_session


def swap_cables(desk: Desk, session_id: int, one: int, other: int) -> None:
    """Exchanges two cables, so that the list is wrong."""
    _set_up(desk, session_id, "swap", one=one, other=other)


def plug_in(desk: Desk, session_id: int, inputs: Iterable[PatchInput]) -> None:
    """Pulls every cable and plugs in what a list says."""
    rows = [
        {"socket": i.socket, "words": f"{i.label} {i.source}", "pickup": i.pickup, "name": i.name}
        for i in inputs if i.used
    ]
    _set_up(desk, session_id, "plug", rows=rows)


def put_back(desk: Desk, session_id: int) -> None:
    """Everybody stands where they stood at first."""
    _set_up(desk, session_id, "put_back")


def stand(desk: Desk, session_id: int, socket: int, player: str, pickup: str) -> None:
    """Somebody else stands at a socket; no player pulls its cable out."""
    _set_up(desk, session_id, "stand", socket=socket, player=player, pickup=pickup)


def wear(desk: Desk, session_id: int, worn: dict[str, int]) -> None:
    """Players put on headphones at an output as printed, the first of two; 0 takes them off."""
    _set_up(desk, session_id, "wear", worn=worn)


def play_louder(desk: Desk, session_id: int, player: str, db: float) -> None:
    _set_up(desk, session_id, "loud", player=player, db=db)


def hum(desk: Desk, session_id: int, socket: int, dbu: float | None) -> None:
    """Mains hum at a socket, as a bad cable brings it; None takes it away."""
    _set_up(desk, session_id, "hum", socket=socket, dbu=dbu)


def turn_knob(desk: Desk, session_id: int, socket: int, gain_db: float) -> None:
    """The stand-in's own hand at a knob."""
    _set_up(desk, session_id, "turn", socket=socket, gain_db=gain_db)


def rig(desk: Desk, session_id: int, name: str, what: str, on: bool) -> None:
    """Puts a screen before a microphone or a DI behind a pickup, or takes it away."""
    _set_up(desk, session_id, "rig", name=name, what=what, on=on)


def loop_back(desk: Desk, session_id: int, output: int, socket: int, way: str) -> str:
    """Plugs a cable from an output to a socket, holds a headphone to its microphone, or takes either away. What is
    there now, in words."""
    _set_up(desk, session_id, "loop", output=output, socket=socket, way=way)
    return {
        "cable": f"A cable connects output {output} to socket {socket}.",
        "headphone": f"The headphone on output {output} is at the microphone on socket {socket}.",
    }.get(way, f"Output {output} is no longer connected to socket {socket}.")


def claim(desk: Desk, session_id: int, samples: int) -> None:
    """The driver leaves this many samples out of the round trip that it claims."""
    _set_up(desk, session_id, "claim", samples=samples)


def _set_up(desk: Desk, session_id: int, command: str, **arguments: object) -> None:
    """Raises NotNow where another session is open: the room is that one's."""
    if desk.engine_state().session != session_id:
        raise NotNow("This session is not open, so its room cannot be set up. Open it first; nothing was changed.")
    standin.ask(desk, command, **arguments)
    with desk.database.transaction() as db:
        session = get_session(db, session_id, lock=True)
        before = [(name, dict(values)) for name, values in session.room]
        session.room = [list(request) for request in arranged(before, command, arguments)]
        count_on(db, session)
    push(desk, session_id)

"""The stand-in's panel: players, cables, and what can go wrong. With a real interface there is none."""

from collections.abc import Iterable

from cattailer.core.patch.patch import PatchInput
from cattailer.core.standin import RoomState
from cattailer.engine.messages.commands import AskRoom
from cattailer.services.desk.desk import Desk


def room_of(desk: Desk) -> RoomState:
    """What the panel shows; an empty one with a real interface, or while none is open."""
    return desk.engine_state().room or RoomState()


def ask_players(desk: Desk, mode: str, player: str | None = None) -> None:
    """Asks one player, or all, to rest, check, perform or follow. Nobody is asked with a real interface."""
    for name in [player] if player else list(room_of(desk).players):
        _ask(desk, "ask", player=name, mode=mode)


def knock(desk: Desk, name: str) -> None:
    """Somebody knocks on a microphone."""
    _ask(desk, "knock", name=name)


def swap_cables(desk: Desk, one: int, other: int) -> None:
    """Exchanges two cables, so that the list is wrong."""
    _ask(desk, "swap", one=one, other=other)


def plug_in(desk: Desk, inputs: Iterable[PatchInput]) -> None:
    """Pulls every cable and plugs in what a list says."""
    rows = [
        {"socket": i.socket, "words": f"{i.label} {i.source}", "pickup": i.pickup, "name": i.name}
        for i in inputs if i.used
    ]
    _ask(desk, "plug", rows=rows)


def put_back(desk: Desk) -> None:
    """Everybody stands where they stood at first."""
    _ask(desk, "put_back")


def stand(desk: Desk, socket: int, player: str, pickup: str) -> None:
    """Somebody else stands at a socket; no player pulls its cable out."""
    _ask(desk, "stand", socket=socket, player=player, pickup=pickup)


def wear(desk: Desk, worn: dict[str, int]) -> None:
    """Players put on headphones at an output as printed, the first of two; 0 takes them off."""
    _ask(desk, "wear", worn=worn)


def play_louder(desk: Desk, player: str, db: float) -> None:
    _ask(desk, "loud", player=player, db=db)


def hum(desk: Desk, socket: int, dbu: float | None) -> None:
    """Mains hum at a socket, as a bad cable brings it; None takes it away."""
    _ask(desk, "hum", socket=socket, dbu=dbu)


def turn_knob(desk: Desk, socket: int, gain_db: float) -> None:
    """The stand-in's own hand at a knob."""
    _ask(desk, "turn", socket=socket, gain_db=gain_db)


def rig(desk: Desk, name: str, what: str, on: bool) -> None:
    """Puts a screen before a microphone or a DI behind a pickup, or takes it away."""
    _ask(desk, "rig", name=name, what=what, on=on)


def loop_back(desk: Desk, output: int, socket: int, way: str) -> None:
    """Plugs a cable from an output to a socket, holds a headphone to its microphone, or takes either away."""
    _ask(desk, "loop", output=output, socket=socket, way=way)


def be_busy(desk: Desk, mood: str) -> None:
    """Something else holds the computer up, as ``core.standin.BUSY`` has it."""
    _ask(desk, "busy", mood=mood)


def claim(desk: Desk, samples: int) -> None:
    """The driver leaves this many samples out of the round trip that it claims."""
    _ask(desk, "claim", samples=samples)


def _ask(desk: Desk, command: str, **arguments: object) -> None:
    desk.engine.ask(AskRoom(command, arguments))

"""The stand-in's panel: what players and computer are asked to do now. With a real interface there is none."""

from cattailer.core.standin import RoomState
from cattailer.engine.messages.commands import AskRoom
from cattailer.services.desk.desk import Desk


def room_of(desk: Desk) -> RoomState:
    """What the panel shows; an empty one with a real interface, or while none is open."""
    return desk.engine_state().room or RoomState()


def ask_players(desk: Desk, mode: str, player: str | None = None) -> None:
    """Asks one player, or all, to rest, check, perform or follow. Nobody is asked with a real interface."""
    for name in [player] if player else list(room_of(desk).players):
        ask(desk, "ask", player=name, mode=mode)


def knock(desk: Desk, name: str) -> None:
    """Somebody knocks on a microphone."""
    ask(desk, "knock", name=name)


def be_busy(desk: Desk, mood: str) -> None:
    """Something else holds the computer up, as ``core.standin.BUSY`` has it."""
    ask(desk, "busy", mood=mood)


def ask(desk: Desk, command: str, **arguments: object) -> None:
    """Raises Refusal for what the room does not know."""
    desk.engine.ask(AskRoom(command, arguments))

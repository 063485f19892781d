"""The stand-in's players, and the meters."""

from cattailer.services.desk import Desk


def ask_players(desk: Desk, mode: str, player: str | None = None) -> dict[str, str]:
    """Asks one player, or all, to rest, check, perform or follow; returns what each does now."""
    names = [player] if player else list(desk.engine.ask("status").get("interface", {}).get("players", {}))
    for name in names:
        desk.engine.ask("room", name="ask", arguments={"player": name, "mode": mode})
    return dict(desk.engine.ask("status").get("interface", {}).get("players", {}))


def play_alone(desk: Desk, player: str) -> None:
    """One player plays, the others rest."""
    for name in list(desk.engine.ask("status").get("interface", {}).get("players", {})):
        mode = "perform" if name == player else "rest"
        desk.engine.ask("room", name="ask", arguments={"player": name, "mode": mode})


def plugged(desk: Desk) -> dict[int, str]:
    """What is in each socket of the stand-in's interface, by its cables."""
    found = desk.engine_state().get("interface", {}).get("plugged", {})
    return {int(socket): name for socket, name in found.items()}


def knock(desk: Desk, name: str) -> None:
    """Somebody knocks on a microphone of the stand-in."""
    desk.engine.ask("room", name="tap", arguments={"name": name})


def swap_cables(desk: Desk, one: int, other: int) -> None:
    """Exchanges two cables of the stand-in, so that the list is wrong."""
    desk.engine.ask("room", name="swap", arguments={"one": one, "other": other})


def reset_meters(desk: Desk) -> None:
    """Forgets held peaks and clip counts."""
    desk.engine.ask("reset")

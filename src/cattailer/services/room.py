"""The stand-in's players, and the meters."""

from cattailer.services.desk import Desk


def ask_players(desk: Desk, mode: str, player: str | None = None) -> dict[str, str]:
    """Asks one player, or all, to rest, check, perform or follow; returns what each does now."""
    names = [player] if player else list(desk.engine.ask("status").get("interface", {}).get("players", {}))
    for name in names:
        desk.engine.ask("room", name="ask", arguments={"player": name, "mode": mode})
    return dict(desk.engine.ask("status")["interface"]["players"])


def reset_meters(desk: Desk) -> None:
    """Forgets held peaks and clip counts."""
    desk.engine.ask("reset")

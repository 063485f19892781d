"""What is open to whom, by the names that pages have in Flask. What is not named here is the engineer's."""

from cattailer.core.access.roles import Role

LIVE = "live"
DOOR_FILES = ("/static/app.css", "/static/fonts/", "/static/cattail.svg", "/static/js/page/theme.js")
ASSISTANT_WRITES = frozenset({"deck.mark", "deck.unmark", "deck.rate", "sheet.rate", "sheet.note", "api.mark"})
ENGINEER_READS = frozenset({"devices.page", "devices.rows", "devices.offered"})
PLAYER_MAY = frozenset({"player.page", "player.rows", "static", LIVE, "player.sound"})


def at_the_door(path: str) -> bool:
    """What a device without a key may see: the door, and how it looks."""
    return path == "/door" or (path.startswith(("/door/", *DOOR_FILES)) and ".." not in path)


def may(role: Role, endpoint: str, method: str) -> bool:
    """Whether somebody in that role may ask that of an endpoint; "" is none."""
    if role is Role.ENGINEER:
        return True
    if role is Role.PLAYER:
        return endpoint in PLAYER_MAY and method in ("GET", "HEAD")
    if method in ("GET", "HEAD"):
        return bool(endpoint) and endpoint not in ENGINEER_READS
    return endpoint in ASSISTANT_WRITES

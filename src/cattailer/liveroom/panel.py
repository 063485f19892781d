"""The live room's own panel: what players, microphones and cables can be asked to do."""

from collections.abc import Callable
from typing import Any

from pydantic import TypeAdapter, ValidationError

from cattailer.core.errors import Refusal
from cattailer.core.gear.interface import Profile
from cattailer.core.patch.patch import PICKUPS
from cattailer.core.standin import MODES, Standing
from cattailer.liveroom import casting
from cattailer.liveroom.room import Room
from cattailer.liveroom.stage import BARE_HENRY, BARE_OHM, Plugged

Later = Callable[[Callable[[int], None]], None]
"""Runs something at the beginning of the next block, with the sample there."""
_LIST = TypeAdapter(list[casting.Listed])
MOST_LISTED = 512


class Panel:
    """What is refused changes nothing; what is done, is done at the next block."""

    def __init__(self, place: Room, profile: Profile, later: Later) -> None:
        self._place, self._profile, self._later = place, profile, later
        self.hums: dict[int, float | None] = {}
        self.commands: dict[str, Callable[[dict[str, Any]], None]] = {
            "ask": self._ask, "swap": self._swap, "knock": self._knock, "hum": self._hum, "loud": self._loud,
            "turn": self._turn, "rig": self._rig, "plug": self._plug, "stand": self._stand, "put_back": self._put_back,
        }

    def _ask(self, arguments: dict[str, Any]) -> None:
        player, mode = str(arguments.get("player")), str(arguments.get("mode"))
        if player not in self._place.players:
            raise Refusal(f"No player here is called {player!r}.", 404)
        if mode not in MODES:
            raise Refusal(f"Players can {', '.join(MODES)}; not {mode!r}.")
        self._later(lambda now: self._place.ask(player, mode, now))

    def _swap(self, arguments: dict[str, Any]) -> None:
        one, other = (self._profile.socket(int(arguments[k])).number for k in ("one", "other"))
        self._later(lambda now: self._place.swap(one, other, now))

    def _hum(self, arguments: dict[str, Any]) -> None:
        socket, dbu = self._profile.socket(int(arguments["socket"])).number, arguments.get("dbu")
        level = None if dbu is None else max(-100.0, min(20.0, float(dbu)))
        self.hums[socket] = level
        self._later(lambda now: self._place.hum(socket, level, now))

    def _loud(self, arguments: dict[str, Any]) -> None:
        player, db = str(arguments.get("player")), float(arguments["db"])
        if player not in self._place.players:
            raise Refusal(f"No player here is called {player!r}.", 404)
        if not -40.0 <= db <= 40.0:
            raise Refusal("A player can play between 40 dB softer and 40 dB louder; nothing was changed.")
        self._later(lambda now: self._place.loud(player, db, now))

    def _turn(self, arguments: dict[str, Any]) -> None:
        socket, gain = self._profile.socket(int(arguments["socket"])), float(arguments["gain_db"])
        if socket.remote or not socket.preamp:
            raise Refusal(f"Socket {socket.number} has no knob to turn; set its gain in its row.")
        gain = self._profile.check_gain(gain)
        self._later(lambda now: self._place.turn(socket.number, gain, now))

    def _rig(self, arguments: dict[str, Any]) -> None:
        """The screen before a microphone, or the DI behind a pickup."""
        name, what, on = str(arguments.get("name")), str(arguments.get("what")), bool(arguments.get("on"))
        if name not in {plug.name for plug in self._place.plugged.values()}:
            raise Refusal(f"Nothing here is called {name!r}.", 404)
        bare = {"source_ohm": BARE_OHM, "source_henry": BARE_HENRY}
        changes: dict[str, Any] = {"screen": on} if what == "screen" else (
            {"source_ohm": Plugged.source_ohm, "source_henry": Plugged.source_henry} if on else bare
        )
        self._later(lambda now: self._place.rig(name, now, **changes))

    def _knock(self, arguments: dict[str, Any]) -> None:
        name = str(arguments.get("name"))
        if name not in {plug.name for plug in self._place.plugged.values()}:
            raise Refusal(f"Nothing here is called {name!r}.", 404)
        self._later(lambda now: self._place.knock(name, now))

    def _plug(self, arguments: dict[str, Any]) -> None:
        """Plugs in what a list says: ``rows`` of socket, words and pick-up."""
        rows = arguments.get("rows")
        try:
            listed = _LIST.validate_python(rows)
        except ValidationError as why:
            raise Refusal("That list cannot be read, so every cable stays where it is.") from why
        listed = [row for row in listed[:MOST_LISTED] if 1 <= row.socket <= self._profile.inputs]
        if not listed:
            raise Refusal("The list says nothing about this interface's sockets, so every cable stays where it is.")
        plugged = casting.plugs(listed)
        self._later(lambda now: self._place.plug(plugged, now))

    def _put_back(self, _: dict[str, Any]) -> None:
        """Everybody stands where they stood at first."""
        self._later(lambda now: self._place.plug(self._place.at_first, now))

    def _stand(self, arguments: dict[str, Any]) -> None:
        """Somebody else stands at a socket, or another microphone; no player pulls the cable out."""
        socket = self._profile.socket(int(arguments["socket"])).number
        player, pickup = str(arguments.get("player")), str(arguments.get("pickup"))
        if player and player != casting.ROOM and player not in self._place.players:
            raise Refusal(f"No player here is called {player!r}.", 404)
        if pickup not in PICKUPS or pickup == "software":
            raise Refusal("Nobody can be picked up like that here; every cable stays where it is.")

        def stand(now: int) -> None:
            others = {s: p for s, p in self._place.plugged.items() if s != socket}
            at = sum(p.player == player for p in others.values())
            name = player if all(p.name != player for p in others.values()) else f"{player}, {socket}"
            new = {socket: casting.plug(socket, name, player, pickup, at)} if player else {}
            self._place.plug(dict(sorted({**others, **new}.items())), now)

        self._later(stand)


def standing(plugged: dict[int, Plugged]) -> dict[int, Standing]:
    """Who stands at each socket, as the panel shows it."""
    return {socket: Standing(plug.player, plug.kind) for socket, plug in sorted(plugged.items())}

"""The stand-in's players, and the meters."""

from dataclasses import dataclass

from cattailer.services.desk.desk import Desk


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
    desk.engine.ask("room", name="knock", arguments={"name": name})


def swap_cables(desk: Desk, one: int, other: int) -> None:
    """Exchanges two cables of the stand-in, so that the list is wrong."""
    desk.engine.ask("room", name="swap", arguments={"one": one, "other": other})


@dataclass(frozen=True)
class PlayerView:
    name: str
    mode: str
    loud_db: float


@dataclass(frozen=True)
class RoomView:
    """The stand-in's panel. ``hums`` and ``knobs`` are by socket, ``bare`` names what lost its screen or DI."""

    players: list[PlayerView]
    plugged: dict[int, str]
    hums: dict[int, float]
    knobs: dict[int, float]
    bare: list[str]


def view(desk: Desk) -> RoomView:
    found = desk.engine_state().get("interface", {})
    loud = found.get("loud", {})
    return RoomView(
        [PlayerView(name, mode, float(loud.get(name, 0.0))) for name, mode in found.get("players", {}).items()],
        plugged(desk), {int(s): v for s, v in found.get("hums", {}).items()},
        {int(s): v for s, v in found.get("knobs", {}).items()}, list(found.get("bare", [])),
    )


def play_louder(desk: Desk, player: str, db: float) -> None:
    desk.engine.ask("room", name="loud", arguments={"player": player, "db": db})


def hum(desk: Desk, socket: int, dbu: float | None) -> None:
    """Mains hum at a socket, as a bad cable brings it; None takes it away."""
    desk.engine.ask("room", name="hum", arguments={"socket": socket, "dbu": dbu})


def turn_knob(desk: Desk, socket: int, gain_db: float) -> None:
    """The stand-in's own hand at a knob."""
    desk.engine.ask("room", name="turn", arguments={"socket": socket, "gain_db": gain_db})


def rig(desk: Desk, name: str, what: str, on: bool) -> None:
    """Puts a screen before a microphone or a DI behind a pickup, or takes it away."""
    desk.engine.ask("room", name="rig", arguments={"name": name, "what": what, "on": on})


@dataclass(frozen=True)
class Loops:
    """What is plugged from outputs to sockets in the stand-in, and what its driver keeps quiet about."""

    loops: list[tuple[int, int, str]]
    unreported: int


def loops(desk: Desk) -> Loops:
    found = desk.engine_state().get("interface", {})
    return Loops([(int(o), int(i), str(w)) for o, i, w in found.get("loops", [])], int(found.get("unreported", 0)))


def loop(desk: Desk, output: int, socket: int, way: str) -> None:
    """Plugs a cable from an output to a socket, holds a headphone to its microphone, or takes either away."""
    desk.engine.ask("room", name="loop", arguments={"output": output, "socket": socket, "way": way})


def be_busy(desk: Desk, mood: str) -> None:
    """Something else holds the stand-in's computer up: "off", "a little" or "very"."""
    desk.engine.ask("room", name="busy", arguments={"mood": mood})


def claim(desk: Desk, samples: int) -> None:
    """The stand-in's driver leaves this many samples out of the round trip that it claims."""
    desk.engine.ask("room", name="claim", arguments={"samples": samples})

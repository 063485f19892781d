"""Who plays what a list of sources asks for, so that every socket of it sounds."""

import math
import re
from collections.abc import Iterable
from dataclasses import dataclass, replace

from cattailer.liveroom import stage, tune
from cattailer.liveroom.stage import BARE_HENRY, BARE_OHM, Plugged

ROOM = "room"
_STANDS_FOR = {
    "dulcimer": "dulcimer zither cimbalom piano keys guitar mandolin fiddle violin",
    "harp": "harp lyre lute guitar banjo ukulele piano",
    "cello": "cello string strings bass double viola fiddle violin low",
    "bass clarinet": "clarinet reed flute oboe sax saxophone horn trumpet trombone whistle bassoon wind winds brass",
    "frame drum": "drum drums kick snare tom cymbal cymbals hat percussion tambourine shaker",
    "harmonium": "harmonium squeezebox accordion concertina organ melodeon synth keyboard keys whistle flute",
    "narrator": "narrator voice vocal vocals singer speech speaker host guest actor reader choir",
}
_ROOMS = {"room", "ambience", "ambient", "hall", "pair", "far"}
_SIDES = {"left", "right", "l", "r", "top", "bottom", "close", "pickup", "di", "mic", "microphone"}
_CLOSE_M = {"condenser": 0.45, "ribbon": 0.5, "dynamic": 0.2}
_TURN = 0.6
"""By so much (in radians) the microphones on one player stand apart."""
_SPREAD_M = 0.3
CLEAR_DBU = {"DI": -16.0, "instrument": -16.0, "line": -2.0}
"""Peaks of what comes by wire."""


@dataclass(frozen=True)
class Listed:
    """A socket of an input list: what stands there in words, and how it is picked up."""

    socket: int
    words: str
    pickup: str
    name: str = ""
    """What it is called, where that is not the words."""


def cast(listed: Iterable[Listed]) -> dict[int, str]:
    """A player for each socket, or ``ROOM``. One source keeps its player for all its sockets. Where two players could
    play something, the one who has nothing yet does; what nobody knows goes to whoever has the least to do."""
    busy, known, out = dict.fromkeys(tune.PARTS, 0), dict[str, str](), dict[int, str]()
    for row in listed:
        words = re.findall(r"[a-z]+", row.words.lower())
        source = " ".join(w for w in words if w not in _SIDES)
        if _ROOMS & set(words):
            out[row.socket] = ROOM
            continue
        if source not in known:
            named = [p for p in tune.PARTS if p in source]
            known[source] = min(named or _could(words) or list(tune.PARTS), key=lambda p: busy[p])
            busy[known[source]] += 1
        out[row.socket] = known[source]
    return out


def _could(words: list[str]) -> list[str]:
    """Who plays such a thing, by the last word that says anything: a bass drum is a drum."""
    for word in reversed(words):
        found = [part for part, others in _STANDS_FOR.items() if word in others.split()]
        if found:
            return found
    return []


def plugs(listed: Iterable[Listed]) -> dict[int, Plugged]:
    """A list plugged in, by socket. What software makes has no plug."""
    rows = [row for row in listed if row.pickup != "software"]
    players, count, out = cast(rows), dict[str, int](), dict[int, Plugged]()
    for row in rows:
        player = players[row.socket]
        at = count.get(player, 0)
        count[player] = at + 1
        name = (row.name or row.words).strip() or player
        if any(p.name == name for p in out.values()):
            name = f"{name}, {row.socket}"
        out[row.socket] = plug(row.socket, name, player, row.pickup, at)
    return out


def plug(socket: int, name: str, player: str, pickup: str, at: int = 0) -> Plugged:
    """The ``at``-th microphone or pickup on a player; a round microphone for the room."""
    if player == ROOM:
        return Plugged(socket, name, stage.ROUND_CONDENSER, (-1) ** (at + 1) * _SPREAD_M, -1.3, "cello")
    if pickup in CLEAR_DBU:
        row = f"{player}-pickup" if f"{player}-pickup" in stage.SOURCES else player
        made = Plugged(socket, name, None, pickup=row, pickup_dbu=CLEAR_DBU[pickup])
        bare = pickup == "instrument"
        return replace(made, source_ohm=BARE_OHM, source_henry=BARE_HENRY) if bare else made
    seat = next(s for s in stage.SEATS if s.player == player)
    # From the player towards the middle of the room, the next ones to either side.
    angle = math.atan2(-0.5 - seat.y, -seat.x) + _TURN * (-1) ** at * ((at + 1) // 2)
    away = _CLOSE_M.get(pickup, _CLOSE_M["dynamic"])
    return Plugged(
        socket, name, _microphone(player, pickup), seat.x + away * math.cos(angle), seat.y + away * math.sin(angle),
        player,
    )


def _microphone(player: str, pickup: str) -> stage.Microphone:
    """What is not said is a dynamic one, which sounds without 48 V."""
    if pickup == "condenser":
        return stage.LARGE_CONDENSER if player in ("narrator", "cello") else stage.SMALL_CONDENSER
    return stage.RIBBON if pickup == "ribbon" else stage.DYNAMIC

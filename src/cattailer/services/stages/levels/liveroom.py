"""The live room set up as a session has it: who stands where, and who wears which headphones."""

from dataclasses import dataclass

from cattailer.core.patch.ends import socket_of
from cattailer.core.standin import RoomState
from cattailer.services.desk import standin
from cattailer.services.desk.desk import Desk
from cattailer.services.running import room
from cattailer.services.session.reading import load
from cattailer.services.session.rows import patch_of


@dataclass(frozen=True)
class LiveRoomPage:
    """``ears`` are the pairs of outputs that headphones can be plugged into: the first output, and what plays there."""

    room: RoomState
    ears: tuple[tuple[int, str], ...]


def show(desk: Desk, session_id: int) -> LiveRoomPage:
    with desk.database.transaction() as db:
        patch = patch_of(load(db, session_id))
    mixes = tuple((m.outputs[0], m.name) for m in patch.mixes if m.outputs and m.kind == "cue")
    return LiveRoomPage(standin.room_of(desk), mixes)


def plug_in_list(desk: Desk, session_id: int) -> None:
    """Players and microphones as the input list says, so that every listed socket sounds."""
    with desk.database.transaction() as db:
        inputs = patch_of(load(db, session_id)).inputs
    room.plug_in(desk, session_id, inputs)


def put_on(desk: Desk, session_id: int) -> None:
    """Everybody wears the headphones of the cue mix whose player they are, by the sockets that they play into; where no
    mix has them for its player, the first that has a track of theirs. Who is in none wears none."""
    with desk.database.transaction() as db:
        patch = patch_of(load(db, session_id))
    players = {socket: s.player for socket, s in standin.room_of(desk).standing.items()}
    of_track = {t.key: {players.get(socket_of(f) or 0, "") for f in t.feeds} for t in patch.tracks}
    ids = {t.id: t.key for t in patch.tracks}
    cues = [m for m in patch.mixes if m.kind == "cue" and m.outputs]
    worn = dict.fromkeys(standin.room_of(desk).players, 0)
    taken = {(start, target) for start, target in patch.routes}
    for mine in (True, False):
        for mix in cues:
            own = {ids[t] for t in mix.own if t in ids} if mine else {k for k in of_track if (k, mix.key) in taken}
            for player in {p for key in own for p in of_track[key]}:
                if worn.get(player) == 0:
                    worn[player] = mix.outputs[0]
    room.wear(desk, session_id, worn)


def take_off(desk: Desk, session_id: int) -> None:
    room.wear(desk, session_id, dict.fromkeys(standin.room_of(desk).players, 0))

"""Preamps that only a hand can set: what to turn, and seeing when it was done."""

from cattailer.core.errors import NotNow
from cattailer.core.sound.noisefloor import LevelSpread
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.listening import Heard
from cattailer.services.session.editing import editing
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import patch_of
from cattailer.services.stages.levels import soundcheck
from cattailer.services.stages.levels.live import LiveKnob, LiveLevels

ROUND_S = 3.0
NEAR_DB = 1.5


def begin(desk: Desk, session_id: int, socket: int) -> None:
    """Watches a knob being turned as the sound check advised. The player keeps playing meanwhile.

    Raises NotNow when there is no advice for it, or when it can be set from here.
    """
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        patch, profile = patch_of(session), desk.profile(session.interface)
        advised = soundcheck.advice(db, session, patch, profile).get(socket)
    if profile.socket(socket).remote:
        raise NotNow(f"The gain of socket {socket} can be set from here; no hand is needed.")
    if advised is None or not advised.advice.changes:
        raise NotNow(f"There is nothing to turn at socket {socket}. Listen to a check first.")
    row = patch.input(socket)
    knob = LiveKnob(socket, advised.advice.gain_db - (row.gain_db if row else 0.0))
    live = desk.live.of(session_id, LiveLevels)
    with live.lock:
        live.knob, live.count = knob, live.count + 1
    spread: list[LevelSpread] = []
    gathered = [0]

    def hear(heard: Heard) -> bool:
        if live.knob is not knob:
            return False
        if heard.session != session_id or socket > len(heard.sound):
            return True
        if heard.fresh:
            spread.clear()
            gathered[0] = 0
        if not spread:
            spread.append(LevelSpread(1, heard.rate_hz))
        spread[0].add(heard.sound[socket - 1 : socket])
        gathered[0] += heard.sound.shape[1]
        if gathered[0] < ROUND_S * heard.rate_hz:
            return True
        level = float(spread.pop().level_dbfs(0.8)[0])
        gathered[0] = 0
        return not _heard(desk, session_id, knob, level)

    desk.listening.listen(f"knob {session_id}", hear)


def leave(desk: Desk, session_id: int) -> None:
    live = desk.live.of(session_id, LiveLevels)
    with live.lock:
        live.knob, live.count = None, live.count + 1


def _heard(desk: Desk, session_id: int, knob: LiveKnob, level_dbfs: float) -> bool:
    """Whether it is done: the level has moved as it should, twice in a row."""
    live = desk.live.of(session_id, LiveLevels)
    with live.lock:
        live.count += 1
        if knob.before_dbfs is None:
            knob.before_dbfs = level_dbfs
            return False
        knob.moved_db = level_dbfs - knob.before_dbfs
        knob.steady = knob.steady + 1 if abs(knob.moved_db - knob.wanted_db) <= NEAR_DB else 0
        if knob.steady < 2:
            return False
    with editing(desk, session_id) as edit:
        row = edit.input(knob.socket)
        gain = desk.profile(edit.session.interface).check_knob(row.gain_db + knob.wanted_db)
        edit.what = f"Knob of socket {knob.socket} turned from {row.gain_db:+g} to about {gain:+g} dB"
        row.gain_db = gain
    with live.lock:
        live.knob, live.count = None, live.count + 1
    return True


def words(knob: LiveKnob) -> str:
    """What the page says while it watches."""
    turn = "up" if knob.wanted_db > 0 else "down"
    if knob.before_dbfs is None:
        return f"Listening first: keep playing at socket {knob.socket}."
    done = knob.moved_db if knob.wanted_db > 0 else -knob.moved_db
    left = abs(knob.wanted_db) - done
    if abs(left) <= NEAR_DB:
        return "That is it. Keep it there."
    if left < 0:
        turn = "down" if turn == "up" else "up"
    return f"Turn {turn} by {abs(left):.0f} dB more ({done:+.0f} of {abs(knob.wanted_db):.0f} dB done)."



"""Noise of all rows while the players rest, and room tone kept for later."""

import time
from dataclasses import dataclass

from sqlalchemy import select

from cattailer.core.advice import noise
from cattailer.core.errors import NotNow
from cattailer.core.patch.ends import SOCKET, kind_of
from cattailer.core.transport import STOPPED, captures
from cattailer.services.desk import standin
from cattailer.services.desk.desk import Desk
from cattailer.services.running import transport
from cattailer.services.session.opening import need_open
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import patch_of, tempo_of
from cattailer.services.sounding.pieces import end_of_takes
from cattailer.services.stages.levels import soundcheck
from cattailer.services.stages.levels.live import LiveCheck
from cattailer.store.measured import Check

MEASURE_S = 6.0
TONE_S = 10.0
REST_S = 3.0
"""Strings ring on, and chairs creak."""


def measure(desk: Desk, session_id: int) -> None:
    """Asks for rest and listens for a few seconds; the figures are there when it ends by itself."""
    need_open(desk, session_id)
    state = desk.engine_state()
    if captures(state.state):
        raise NotNow("A capture runs, so the players cannot rest now. Stop capturing first.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        inputs = desk.profile_or_blank(session.interface).inputs
        sockets = tuple(i.socket for i in patch_of(session).inputs if i.used and i.socket <= inputs)
    if not sockets:
        raise NotNow("Nothing is listed at any socket yet. Fill in Patch first.")
    standin.ask_players(desk, "rest")
    time.sleep(REST_S)
    soundcheck.listen(desk, session_id, LiveCheck(sockets, "noise", MEASURE_S))


@dataclass(frozen=True)
class NoiseRow:
    """Levels in dBFS RMS; ``octaves`` are (hertz, level)."""

    socket: int
    name: str
    floor_dbfs: float
    octaves: list[tuple[int, float]]
    converter_dbfs: float
    preamp_dbfs: float
    microphone_dbfs: float
    who: str
    words: str


def newest(desk: Desk, session_id: int) -> tuple[str, list[NoiseRow]]:
    """When it was measured, and the rows; empty when it never was. Rows as they were set then."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        measured = select(Check).where(Check.session_id == session_id, Check.phase == "noise")
        check = db.scalar(measured.order_by(Check.id.desc()).limit(1))
        if check is None:
            return "", []
        patch, profile = patch_of(session), desk.profile_or_blank(session.interface)
        rows = []
        for said in check.rows:
            row = patch.input(said["socket"])
            if row is None or row.socket > profile.inputs:
                continue
            expected = noise.parts(profile, row)
            source = noise.attribute(said["floor_dbfs"], expected)
            rows.append(NoiseRow(
                row.socket, row.name or f"socket {row.socket}", said["floor_dbfs"], [(f, v) for f, v in said["quiet"]],
                expected.converter, expected.preamp, expected.microphone, source.who, source.words,
            ))
        return check.at.astimezone().strftime("%H:%M"), rows


def keep_room_tone(desk: Desk, session_id: int) -> None:
    """Captures ten seconds of all tracks that sockets feed, after everything that was captured so far, so that it
    never sounds over another take. The players are asked to rest."""
    need_open(desk, session_id)
    if desk.engine_state().state != STOPPED:
        raise NotNow("The timeline moves. Stop first; then the room tone can be kept.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        tempo = tempo_of(session)
        bar = tempo.bar_beat_at(end_of_takes(session)).bar + 4
        position = tempo.sample_of(bar)
        tracks = [t.id for t in session.tracks if any(kind_of(f) == SOCKET for f in t.feeds)]
        samples = round(TONE_S * session.rate_hz)
    if not tracks:
        raise NotNow("No track is fed by a socket yet, so there is nowhere to keep room tone.")
    standin.ask_players(desk, "rest")
    time.sleep(REST_S)
    transport.locate(desk, session_id, position)
    transport.capture(desk, session_id, tracks, samples, "Room tone")

"""Compiling a session into the plan that the engine runs."""

from cattailer.core.plan import Plan, Preamps, TrackPlan
from cattailer.core.takes import TakeSpan, topmost
from cattailer.core.timeline import TempoMap
from cattailer.services.desk import Desk
from cattailer.store.models import Session, Track


def tempo_of(session: Session) -> TempoMap:
    return TempoMap.from_dict(session.rate_hz, session.tempo)


def take_spans(desk: Desk, session: Session, track: Track) -> list[TakeSpan]:
    """The takes of a track that can be heard at the session's rate, where they lie."""
    folder = desk.media / session.folder
    return [
        TakeSpan(t.id, track.id, str(folder / t.media.path), t.start, t.samples, t.number)
        for t in track.takes
        if t.samples and t.media.rate_hz == session.rate_hz
    ]


def compile_plan(desk: Desk, session: Session) -> Plan:
    """The plan of a session as it stands now. Sockets count from 1, the plan's inputs from 0."""
    profile = desk.profile(session.interface)
    by_socket = {i.socket: i for i in session.inputs}
    sockets = range(1, profile.inputs + 1)
    preamps = Preamps(
        tuple(by_socket[s].gain_db if s in by_socket else 0.0 for s in sockets),
        tuple(by_socket[s].phantom if s in by_socket else False for s in sockets),
        tuple(by_socket[s].pad_db if s in by_socket else 0.0 for s in sockets),
    )
    tracks = tuple(
        TrackPlan(t.id, t.name, tuple(s - 1 for s in t.sockets), t.armed, t.fader_db, t.pan)
        for t in session.tracks
        if t.sockets and all(s <= profile.inputs for s in t.sockets)
    )
    line = [piece for track in session.tracks for piece in topmost(take_spans(desk, session, track))]
    return Plan(
        session.id, session.title, session.revision, session.interface, session.rate_hz, session.period,
        session.bits, profile.inputs, profile.outputs, preamps, tracks, tuple(line), tempo_of(session), session.click,
    )

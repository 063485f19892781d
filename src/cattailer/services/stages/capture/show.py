"""What the Capture stage shows: a row for each track, along the signal's way."""

from dataclasses import dataclass

from cattailer.core.gear.interface import Profile
from cattailer.core.patch.ends import SOFT, group_end, in_words, kind_of, socket_of, track_end
from cattailer.core.patch.patch import Patch
from cattailer.core.takes.settings import CaptureSettings
from cattailer.services.desk.desk import Desk
from cattailer.services.keeping.placing import Places, places_of
from cattailer.services.running import frame
from cattailer.services.running.capturing import settings_of
from cattailer.services.running.frame import Frame
from cattailer.services.session.compiling import feeders_of, source_channel
from cattailer.services.session.reading import load
from cattailer.services.session.rows import patch_of
from cattailer.services.stages.capture import what
from cattailer.services.stages.capture.what import MarkLine, NewestRun
from cattailer.store.models import Session, Track


@dataclass(frozen=True)
class TrackRow:
    """``inputs`` are source channels as the meters count them, ``feed`` is as printed; ``socket`` is 0 where no socket
    feeds it. ``effects`` says whether they are captured, where there are any."""

    id: int
    name: str
    socket: int
    feed: str
    inputs: list[int]
    phantom: bool
    has_phantom: bool
    source: str
    gain_db: float | None
    armed: bool
    locked: bool
    effects: str


@dataclass(frozen=True)
class CapturePage:
    """``how`` is how the next capture goes, in words in ``summary``; ``will`` says what it captures; ``newest`` is the
    newest run. ``groups`` have a number, a name, and whether all of their tracks are armed."""

    frame: Frame
    rows: list[TrackRow]
    gain_range: str
    how: CaptureSettings
    summary: str
    will: str
    groups: list[tuple[int, str, bool]]
    newest: NewestRun | None
    marks: list[MarkLine]
    places: Places


def show(desk: Desk, session_id: int) -> CapturePage:
    """Raises NotFound."""
    state = desk.engine_state()
    with desk.database.transaction() as db:
        session = load(db, session_id)
        profile, patch = desk.profile_or_blank(session.interface), patch_of(session)
        feeders = feeders_of(patch)
        return CapturePage(
            frame.describe(desk, session, state), [_row(patch, profile, feeders, t) for t in session.tracks],
            f"{profile.gain_min_db:+g} to {profile.gain_max_db:+g} dB", settings_of(session),
            what.summary(settings_of(session), session.looping), what.will_be(desk, db, session), _groups(session),
            what.newest(session), what.marks(db, session), places_of(desk, session),
        )


def _row(patch: Patch, profile: Profile, feeders: tuple[int, ...], track: Track) -> TrackRow:
    sockets = [n for f in track.feeds if (n := socket_of(f)) and n <= profile.inputs]
    fed_by = [row for n in sockets if (row := patch.input(n))]
    first = fed_by[0] if fed_by else None
    source = " · ".join(filter(None, (first.pickup, first.placement or first.note))) if first else ""
    preamp = bool(sockets) and profile.socket(sockets[0]).preamp
    return TrackRow(
        track.id, track.name, sockets[0] if sockets else 0,
        in_words(tuple(track.feeds), {g.id: g.name for g in patch.groups}),
        [source_channel(f, profile, feeders) for f in track.feeds], any(i.phantom for i in fed_by),
        bool(sockets) and profile.socket(sockets[0]).has("phantom"),
        source or _without_source(track, bool(sockets)), first.gain_db if first and preamp else None, track.armed,
        track.locked,
        ("effects captured too" if track.prints else "effects heard only") if track.effects else "",
    )


def _groups(session: Session) -> list[tuple[int, str, bool]]:
    """Those that sum tracks."""
    armed = {track_end(t.id): t.armed for t in session.tracks}
    within = {g.id: [armed[r.start] for r in session.routes if r.target == group_end(g.id) and r.start in armed]
              for g in session.groups}
    return [(g.id, g.name, all(within[g.id])) for g in session.groups if within[g.id]]


def _without_source(track: Track, socket: bool) -> str:
    if socket:
        return "nothing noted yet"
    return "follows the tempo" if any(kind_of(f) == SOFT for f in track.feeds) else "no socket"

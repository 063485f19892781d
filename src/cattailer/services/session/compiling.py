"""A session compiled into the plan that the engine runs."""

from sqlalchemy import orm, select

from cattailer.core.gear.interface import Profile
from cattailer.core.gear.rates import rescaled
from cattailer.core.patch.patch import (
    SOFTWARE,
    Patch,
    PatchInput,
    end_of,
    side_of,
    socket_of,
)
from cattailer.core.plan import MOST_TAPS, NOTHING, SOFTWARE_CHANNELS, GroupPlan, MixPlan, Plan, Preamps, TrackPlan
from cattailer.core.takes.pieces import TakeSpan, topmost
from cattailer.core.time.clicking import ClickPlan
from cattailer.services.desk.desk import Desk
from cattailer.services.session.rows import loop_of, measured_correction, patch_of, tempo_of
from cattailer.store.models import Media, Session, Track


def take_spans(desk: Desk, session: Session, track: Track) -> list[TakeSpan]:
    """The takes of a track that can be heard at the session's rate, where they lie. A take of another rate is heard
    from the file that it was converted to."""
    folder, rate = desk.media / session.folder, session.rate_hz
    spans = []
    for t in track.takes:
        sound = _at_rate(t.media, rate)
        if not t.samples or sound is None:
            continue
        start = rescaled(t.start, t.media.rate_hz, rate)
        spans.append(TakeSpan(t.id, track.id, str(folder / sound.path), start, sound.samples, t.number))
        head = _at_rate(t.head, rate) if t.head is not None and t.head_open else None
        if head is not None:
            opened = min(rescaled(t.head_open, t.media.rate_hz, rate), head.samples)
            spans.append(TakeSpan(
                t.id, track.id, str(folder / head.path), start - opened, opened, t.number, head.samples - opened
            ))
    return spans


def _at_rate(media: Media, rate_hz: int) -> Media | None:
    """A file, or what it was converted to, at a rate."""
    if media.rate_hz == rate_hz:
        return media
    db = orm.object_session(media)
    return None if db is None else db.scalar(
        select(Media).where(Media.original_id == media.id, Media.rate_hz == rate_hz).limit(1)
    )


def source_channel(feed: str, profile: Profile, taps: tuple[int, ...]) -> int:
    """The source channel that a feed stands for, see ``core.plan.TrackPlan``; NOTHING for none and
    for a socket that this interface does not have."""
    socket, end = socket_of(feed), end_of(feed)
    if socket is not None:
        return socket - 1 if socket <= profile.inputs else NOTHING
    if end.startswith("soft:"):
        return profile.inputs + 2 * SOFTWARE.index(end[5:]) + side_of(feed)
    if end.startswith("group:") and int(end[6:]) in taps:
        return profile.inputs + SOFTWARE_CHANNELS + 2 * taps.index(int(end[6:])) + side_of(feed)
    return NOTHING


def taps_of(patch: Patch) -> tuple[int, ...]:
    """The groups that feed tracks, in order."""
    feeding = {end_of(f) for t in patch.tracks for f in t.feeds}
    return tuple(g.id for g in patch.groups if g.key in feeding)[:MOST_TAPS]


def preamps_of(patch: Patch, profile: Profile) -> Preamps:
    """What every socket's preamp does; what a socket lacks is off whatever the rows say."""
    rows = {i.socket: i for i in patch.inputs}
    here = [(s, rows.get(s.number, PatchInput(s.number))) for s in profile.sockets]
    return Preamps(
        tuple(i.gain_db if s.preamp else 0.0 for s, i in here),
        tuple(i.phantom and s.has("phantom") for s, i in here),
        tuple(s.pad_db if i.pad else 0.0 for s, i in here),
        tuple(i.polarity and s.polarity for s, i in here),
        tuple(s.low_cut_hz if i.low_cut else 0.0 for s, i in here),
        tuple(i.instrument and s.instrument for s, i in here),
        tuple(i.soft_limit and s.soft_limit for s, i in here),
    )


def compile_plan(desk: Desk, session: Session) -> Plan:
    """The plan of a session as it stands now. Sockets count from 1, the plan's inputs from 0."""
    profile, patch = desk.profile_or_blank(session.interface), patch_of(session)
    taps = taps_of(patch)
    tracks = tuple(
        TrackPlan(
            t.id, t.name, tuple(source_channel(f, profile, taps) for f in t.feeds), t.armed, t.fader_db, t.pan, t.window
        )
        for t in patch.tracks
    )
    line = [piece for track in session.tracks for piece in topmost(take_spans(desk, session, track))]
    mixes = [
        MixPlan(m.id, m.name, tuple(o - 1 for o in m.outputs if o <= profile.outputs), m.fader_db)
        for m in sorted(patch.mixes, key=lambda m: m.kind != "main")
    ]
    return Plan(
        session.id, session.title, session.revision, session.interface, session.rate_hz, session.period,
        session.bits, profile.inputs, profile.outputs, preamps_of(patch, profile), tracks, tuple(line),
        tempo_of(session), session.click, groups=tuple(GroupPlan(g.id, g.name, g.fader_db) for g in patch.groups),
        mixes=tuple(mixes), routes=patch.routes, taps=taps, window=(session.window_dbfs[0], session.window_dbfs[1]),
        correction_samples=measured_correction(session) or 0, clicking=ClickPlan.from_dict(session.clicking),
        loop=loop_of(session),
    )

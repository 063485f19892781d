"""A session compiled into the plan that the engine runs."""

from dataclasses import replace

from cattailer.core.gear.interface import Profile
from cattailer.core.notes.guide import guides_of
from cattailer.core.patch.ends import GROUP, SOFT, SOFTWARE, end_of, kind_of, name_of, number_of, side_of, socket_of
from cattailer.core.patch.patch import Patch, PatchInput
from cattailer.core.plan import (
    MOST_FEEDERS,
    NOTHING,
    SOFTWARE_CHANNELS,
    GroupPlan,
    MixPlan,
    Plan,
    Preamps,
    ReturnPlan,
    TrackPlan,
)
from cattailer.core.takes.pieces import Piece
from cattailer.core.time.clicking import ClickSettings
from cattailer.services.desk.desk import Desk
from cattailer.services.session.rows import loop_of, measured_correction, patch_of, tempo_of
from cattailer.services.sounding.pieces import pieces_of
from cattailer.store.models import Session, Track


def source_channel(feed: str, profile: Profile, feeders: tuple[int, ...]) -> int:
    """The source channel that a feed stands for, see ``core.plan.TrackPlan``; NOTHING for none and
    for a socket that this interface does not have."""
    socket, end = socket_of(feed), end_of(feed)
    if socket is not None:
        return socket - 1 if socket <= profile.inputs else NOTHING
    if kind_of(end) == SOFT:
        return profile.inputs + 2 * SOFTWARE.index(name_of(end)) + side_of(feed)
    if kind_of(end) == GROUP and number_of(end) in feeders:
        return profile.inputs + SOFTWARE_CHANNELS + 2 * feeders.index(number_of(end)) + side_of(feed)
    return NOTHING


def fed(desk: Desk, session: Session) -> list[Track]:
    """The tracks that something feeds on this interface: of the others nothing could be captured."""
    patch, profile = patch_of(session), desk.profile_or_blank(session.interface)
    feeders = feeders_of(patch)
    by = {t.id for t in patch.tracks if any(source_channel(f, profile, feeders) != NOTHING for f in t.feeds)}
    return [t for t in session.tracks if t.id in by]


def feeders_of(patch: Patch) -> tuple[int, ...]:
    """The groups that feed tracks, in order."""
    feeding = {end_of(f) for t in patch.tracks for f in t.feeds}
    return tuple(g.id for g in patch.groups if g.key in feeding)[:MOST_FEEDERS]


def preamps_of(patch: Patch, profile: Profile) -> Preamps:
    """What every socket's preamp does; what a socket lacks is off, no matter what the rows say."""
    rows = {i.socket: i for i in patch.inputs}
    both = [(s, rows.get(s.number, PatchInput(s.number))) for s in profile.sockets]
    return Preamps(
        tuple(i.gain_db if s.preamp else 0.0 for s, i in both),
        tuple(i.phantom and s.has("phantom") for s, i in both),
        tuple(s.pad_db if i.pad else 0.0 for s, i in both),
        tuple(i.polarity and s.polarity for s, i in both),
        tuple(s.low_cut_hz if i.low_cut else 0.0 for s, i in both),
        tuple(i.instrument and s.instrument for s, i in both),
        tuple(i.soft_limit and s.soft_limit for s, i in both),
    )


def compile_plan(desk: Desk, session: Session) -> Plan:
    """The plan of a session as it stands now. Sockets count from 1, the plan's inputs from 0."""
    return silent_plan(desk, session, pieces_of(desk, session))


def with_takes(desk: Desk, session: Session, plan: Plan) -> Plan:
    """A plan of an earlier revision, with what sounds of takes now; for a session of which nothing else changed since,
    see ``Session.plan_revision``."""
    pieces = pieces_of(desk, session)
    return replace(plan, revision=session.revision, pieces=pieces, takes_revision=session.takes_revision)


def silent_plan(desk: Desk, session: Session, pieces: tuple[Piece, ...] = ()) -> Plan:
    """The plan without its takes, for those who do not play it."""
    profile, patch = desk.profile_or_blank(session.interface), patch_of(session)
    feeders = feeders_of(patch)
    tracks = tuple(
        TrackPlan(
            t.id, t.name, tuple(source_channel(f, profile, feeders) for f in t.feeds), t.armed, t.fader_db, t.pan,
            t.window, t.muted, t.soloed, t.listen, t.live_db, t.playback_db, t.effects, t.prints,
            t.width_percent, t.balance_db,
        )
        for t in patch.tracks
    )
    mixes = [
        MixPlan(m.id, m.name, tuple(o - 1 for o in m.outputs if o <= profile.outputs), m.fader_db, m.after_fader,
                m.own, m.forward_db, m.limit_dbfs, m.limit_by)
        for m in sorted(patch.mixes, key=lambda m: m.kind != "main")
    ]
    groups = tuple(GroupPlan(g.id, g.name, g.fader_db, g.soloed, g.muted, g.effects) for g in patch.groups)
    return Plan(
        session.id, session.title, session.revision, session.interface, session.rate_hz, session.period,
        session.bits, profile.inputs, profile.outputs, preamps_of(patch, profile), tracks, pieces,
        tempo_of(session), session.click, groups=groups,
        mixes=tuple(mixes), routes=patch.routes, feeders=feeders,
        window=(session.window_dbfs[0], session.window_dbfs[1]),
        correction_samples=measured_correction(session) or 0,
        clicking=ClickSettings.from_dict(session.clicking), loop=loop_of(session),
        takes_revision=session.takes_revision, cells=patch.cells, alone=session.alone, direct=profile.direct,
        guides=guides_of(session.guides), reference_hz=session.reference_hz,
        room=tuple((name, dict(values)) for name, values in session.room),
        returns=tuple(ReturnPlan(r.id, r.name, r.fader_db, r.muted, r.effects) for r in patch.returns),
    )

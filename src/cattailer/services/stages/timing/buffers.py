"""The buffer ladder of a session: what each size gives, what is chosen for tracking and for mixing."""

from dataclasses import dataclass, field
from datetime import datetime

from cattailer.core.errors import NotNow
from cattailer.core.gear import ladder
from cattailer.core.gear.dropouts import Dropout, Held, would_have_held
from cattailer.core.gear.interface import Profile
from cattailer.core.gear.ladder import Load, Part, Rung
from cattailer.core.mix.costs import latency_of
from cattailer.core.patch.patch import Patch
from cattailer.core.patch.routing import flow
from cattailer.core.time.timeline import TempoMap
from cattailer.core.transport import ROLLING, captures
from cattailer.core.units import milliseconds
from cattailer.engine.messages.commands import Locate, MeasureLoad, Roll, Stop
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import editing
from cattailer.services.session.opening import need_open
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import patch_of, tempo_of
from cattailer.services.stages.timing import correction


@dataclass(frozen=True)
class MeasuredLoads:
    """Measured block times of a session, by buffer."""

    by_period: dict[int, Load] = field(default_factory=dict)


@dataclass(frozen=True)
class DropLine:
    """A dropout since the interface was opened, as shown."""

    at: datetime
    place: str
    state: str
    words: str


@dataclass(frozen=True)
class Budget:
    """The way of one track to ears: ``parts`` in order, ``ears`` are the mixes with outputs that it reaches. ``inside``
    is a track that no socket feeds: nobody waits for it, and it has no Direct path. ``effects_samples`` is None without
    effects."""

    tracks: list[tuple[int, str]]
    track: int
    inside: bool
    parts: list[Part]
    ears: list[str]
    samples: int
    ms: float
    air_m: float
    effects_samples: int | None


@dataclass(frozen=True)
class Ladder:
    rungs: list[Rung]
    period: int
    tracking: int
    mixing: int
    in_use: str
    measured: bool
    proposal: int | None
    direct_ms: float
    dropouts: int
    drops: list[DropLine]
    would_hold: Held
    busy: str
    budget: Budget
    rate_hz: int


def show(desk: Desk, session_id: int, track_id: int = 0) -> Ladder:
    """``track_id`` is whose way to ears the budget draws; 0 is the first."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        interface, rate, period = session.interface, session.rate_hz, session.period
        tracking, mixing, in_use = session.tracking_period, session.mixing_period, session.mixing
        profile, tempo = desk.profile_or_blank(interface), tempo_of(session)
        patch = patch_of(session)
    loads = desk.live.of(session_id, MeasuredLoads).by_period
    loads = {p: load for p, load in loads.items() if p in profile.buffers}
    corrections = correction.corrections(desk, interface, rate)
    rungs = ladder.rungs(profile, rate, loads, corrections)
    state = desk.engine_state()
    open_here = state.session == session_id
    drops = list(state.drops) if open_here else []
    return Ladder(
        rungs, period, tracking, mixing, "mixing" if in_use else "tracking", bool(loads),
        ladder.smallest_that_holds(loads, rate), rungs[0].direct_ms if rungs else 0.0, state.dropouts,
        [_line(d, tempo, rate) for d in drops[:-9:-1]], would_have_held(drops, profile.buffers),
        state.room.busy if state.room else "",
        _budget(patch, profile, track_id, rate, period, corrections.get(period, 0)), rate,
    )


def _budget(
    patch: Patch, profile: Profile, track_id: int, rate_hz: int, period: int, correction_samples: int
) -> Budget:
    drawn = flow(patch, profile)
    tracks = [(t.id, t.name) for t in patch.tracks]
    chosen = next((t for t in patch.tracks if t.id == track_id), patch.tracks[0] if patch.tracks else None)
    inside = chosen is not None and any(chosen.feeds) and not drawn.from_outside(chosen.key)
    effects = latency_of(chosen.effects) if chosen is not None else 0
    parts = ladder.budget(profile, period, rate_hz, correction_samples, inside, effects)
    samples = sum(p.samples for p in parts)
    ms = milliseconds(samples, rate_hz)
    ears = drawn.ears(chosen.key) if chosen else []
    has = bool(chosen and chosen.effects)
    return Budget(
        tracks, chosen.id if chosen else 0, inside, parts, ears, samples, ms, ladder.air_m(ms), effects if has else None
    )


def _line(drop: Dropout, tempo: TempoMap, rate_hz: int) -> DropLine:
    where = tempo.bar_beat_at(drop.position)
    place = "" if drop.state == "stopped" else f"bar {where.bar}, beat {where.beat}"
    at = datetime.fromtimestamp(drop.at).astimezone()
    return DropLine(at, place, drop.state, drop.words(rate_hz))


def measure_load(desk: Desk, session_id: int) -> None:
    """Measures how long blocks take at every size, on this machine, now, with this session's plan."""
    need_open(desk, session_id)
    if captures(desk.engine_state().state):
        raise NotNow("A capture runs, and measuring would disturb it. Stop capturing first.")
    found = desk.engine.ask(MeasureLoad(), 60.0)
    loads = {p: Load(p, tuple(times)) for p, times in found.measured.items()}
    desk.live.put(session_id, MeasuredLoads(loads))


def choose_buffer(desk: Desk, session_id: int, use: str, period: int) -> None:
    """The buffer for tracking or for mixing; when that use is on, it is taken at once. Refused while a capture
    runs; when the timeline only rolls it is stopped first, and begins again where it was."""
    desk.forbid_while_capturing(session_id, "the buffer")
    rolling = _stop_rolling(desk, session_id)
    with editing(desk, session_id) as edit:
        session = edit.session
        desk.profile(session.interface).check_period(period)
        edit.what = f"Buffer for {use}: {period} samples"
        if use == "mixing":
            session.mixing_period = period
        else:
            session.tracking_period = period
        if session.mixing == (use == "mixing"):
            session.period = period
    _roll_again(desk, session_id, rolling)


def use_for(desk: Desk, session_id: int, use: str) -> None:
    """Switches between the buffer for tracking and the one for mixing."""
    desk.forbid_while_capturing(session_id, "the buffer")
    rolling = _stop_rolling(desk, session_id)
    with editing(desk, session_id) as edit:
        session = edit.session
        wanted = session.mixing_period if use == "mixing" else session.tracking_period
        profile = desk.profile(session.interface)
        _, period, _ = profile.settle(session.rate_hz, wanted, session.bits)
        edit.what = f"Buffer for {use} in use: {period} samples"
        session.mixing, session.period = use == "mixing", period
    _roll_again(desk, session_id, rolling)


def _stop_rolling(desk: Desk, session_id: int) -> int | None:
    """Where the timeline rolled, or None; stopped now."""
    state = desk.engine_state()
    if state.session != session_id or state.state != ROLLING:
        return None
    position = state.position
    desk.engine.ask(Stop(session_id))
    return position


def _roll_again(desk: Desk, session_id: int, position: int | None) -> None:
    if position is not None:
        desk.engine.ask(Locate(session_id, position))
        desk.engine.ask(Roll())


chance_in_words = ladder.chance_in_words


@dataclass(frozen=True)
class Ends:
    """What can be chosen for a measurement: outputs as printed, and sockets with their names."""

    outputs: list[int]
    sockets: list[tuple[int, str]]


def ends(desk: Desk, session_id: int) -> Ends:
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        profile = desk.profile_or_blank(session.interface)
        names = {i.socket: i.label or i.source for i in session.inputs}
    free = [s.number for s in profile.sockets if not names.get(s.number)]
    used = [s.number for s in profile.sockets if names.get(s.number)]
    return Ends(list(range(1, profile.outputs + 1)), [(n, names.get(n, "")) for n in [*reversed(free), *used]])

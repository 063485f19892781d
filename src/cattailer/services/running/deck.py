"""What the Deck shows of a session, ready to render."""

from collections.abc import Sequence
from dataclasses import dataclass

from cattailer.core.advice import ready
from cattailer.core.findings import Finding
from cattailer.core.gear.interface import Profile
from cattailer.core.mix.limiting import through_samples
from cattailer.core.patch.ends import socket_of
from cattailer.core.patch.patch import Patch, PatchTrack
from cattailer.core.plan import NOTHING
from cattailer.core.time.clicking import ClickSettings
from cattailer.core.units import milliseconds
from cattailer.engine.messages.answers import Status
from cattailer.engine.messages.commands import AWAY
from cattailer.services.desk import battery
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.disk import disk_minutes_left, time_left_text
from cattailer.services.desk.places import root_of, root_there
from cattailer.services.keeping import copying
from cattailer.services.running import gains, ranges, runlog, runs, threshold
from cattailer.services.running.capturing import settings_of
from cattailer.services.running.ranges import RangeView
from cattailer.services.running.runlog import RunLine
from cattailer.services.session.compiling import feeders_of, source_channel
from cattailer.services.session.rows import measured_correction, tempo_of
from cattailer.store.models import Session


@dataclass(frozen=True)
class Deck:
    """``findings`` are those of the ready check; ``runs`` are the newest, in that order; ``main_mix`` is what
    *Listen here* listens to; ``held`` says how much can be kept after the fact; ``holds``: a run ends only where
    somebody holds Stop for a second."""

    click: bool
    count_bars: int
    count_sound: str
    count_when: str
    tempo: str
    range: RangeView
    armed: int
    findings: list[Finding]
    runs: list[RunLine]
    main_mix: int
    held: str
    holds: bool


def describe(
    desk: Desk, session: Session, patch: Patch, profile: Profile, state: Status, elsewhere: Sequence[Finding] = ()
) -> Deck:
    """``elsewhere`` is what other stages found that bears on a take."""
    clicking, tempo = ClickSettings.from_dict(session.clicking), tempo_of(session)
    bpm, meter = float(tempo.tempi[0].bpm), tempo.meters[0]
    return Deck(
        session.click, clicking.count_bars, clicking.count_sound, clicking.count_when,
        f"{bpm:g}  {meter.beats}/{meter.unit}", ranges.view(session), sum(t.armed for t in patch.tracks),
        ready_check(desk, session, patch, profile, state, elsewhere),
        runlog.lines(session, tempo),
        main.id if (main := patch.main()) else 0,
        f"the last {state.held_s:.0f} s are always held ({state.held_mb} MB)" if state.held_s else "",
        settings_of(session).holds,
    )


def ready_check(
    desk: Desk, session: Session, patch: Patch, profile: Profile, state: Status, elsewhere: Sequence[Finding] = ()
) -> list[Finding]:
    armed = [t for t in patch.tracks if t.armed]
    channels = sum(len(t.feeds) for t in armed or patch.tracks)
    length = session.range_stop - session.range_start
    planned = settings_of(session).planned_samples(session.rate_hz, length, session.looping)
    minutes = disk_minutes_left(root_of(desk, session), channels, session.rate_hz, session.bits)
    late_ms = None
    if session.mixing and profile.known:
        trip = profile.latency(session.period).round_trip_samples
        late_ms = milliseconds(through_samples(trip, session.rate_hz), session.rate_hz)
    feeders = feeders_of(patch)
    open_here = state.session == session.id
    found = [*elsewhere, *gains.differing(session, patch, profile), *threshold.below_noise(session, patch, profile)]
    if armed and measured_correction(session) is None and any(t.takes for t in patch.tracks):
        found.append(Finding("look", "The round trip was never measured, so what is captured over takes may lie late"))
    if wrong := copying.trouble(desk, session.id):
        found.append(Finding("look", wrong))
    return _troubles(desk, session, state) + ready.check(
        [_state(patch, t, profile, feeders, state.presence if open_here else []) for t in patch.tracks],
        minutes, time_left_text(minutes), state.state != AWAY, late_ms, state.dropouts if open_here else 0, found,
        planned / session.rate_hz / 60.0,
    )


def _troubles(desk: Desk, session: Session, state: Status) -> list[Finding]:
    """What is wrong with disk, journals and background work: nobody would see it otherwise."""
    out = []
    if not root_there(desk, session):
        out.append(Finding("stop", f"The media folder {root_of(desk, session)} is not there: nothing can be captured"))
    if (left := battery.low()) is not None:
        out.append(Finding("look", f"The battery has {left} % left, and nothing charges it"))
    if quiet := [*state.quiet, *desk.quiet_work()]:
        out.append(Finding("stop", f"Does not come round any more: {', '.join(quiet)}. Restart Cattailer"))
    found = runs.troubles(desk)
    if found:
        more = f" (and {len(found) - 1} more; ./cattailer doctor names them)" if len(found) > 1 else ""
        name = found[0].path.name
        says = found[0].says if name in found[0].says else f"{name}: {found[0].says}"
        out.append(Finding("look", f"{says}{more}"))
    return out


def _state(
    patch: Patch, track: PatchTrack, profile: Profile, feeders: tuple[int, ...],
    presence: Sequence[tuple[int, bool, bool]],
) -> ready.RowState:
    fed_by = [row for f in track.feeds if (n := socket_of(f)) and (row := patch.input(n))]
    channels = [source_channel(f, profile, feeders) for f in track.feeds if socket_of(f)]
    heard = [presence[c] for c in channels if 0 <= c < len(presence)]
    return ready.RowState(
        track.name, track.armed, fed_by[0].pickup if fed_by else "", all(i.phantom for i in fed_by),
        any(source_channel(f, profile, feeders) != NOTHING for f in track.feeds), tuple(i.socket for i in fed_by),
        min((h[0] for h in heard), default=0), any(h[1] for h in heard), any(h[2] for h in heard),
    )

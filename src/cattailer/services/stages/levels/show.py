"""What the Levels stage shows, ready to render."""

from dataclasses import dataclass
from typing import Any

from cattailer.core.advice.gainadvice import Margin
from cattailer.core.findings import Finding
from cattailer.core.gear.interface import Profile
from cattailer.core.patch.ends import socket_of
from cattailer.core.patch.patch import Patch, PatchInput, PatchTrack
from cattailer.services.desk.desk import Desk
from cattailer.services.running.frame import Frame, describe
from cattailer.services.running.stageline import LiveFindings
from cattailer.services.session.reading import load
from cattailer.services.session.rows import patch_of
from cattailer.services.session.switches import SwitchView, of_socket
from cattailer.services.stages.levels import knobs, soundcheck
from cattailer.services.stages.levels.live import LiveKnob, LiveLevels
from cattailer.services.stages.levels.soundcheck import RowAdvice


@dataclass(frozen=True)
class LevelRow:
    """A socket in use. ``track`` is the first that it feeds, or None; ``window`` is given where it differs."""

    socket: int
    name: str
    source: str
    input: PatchInput
    preamp: bool
    remote: bool
    switches: tuple[SwitchView, ...]
    track: PatchTrack | None
    window: tuple[float, float]
    own_window: bool
    advised: RowAdvice | None
    ticked: bool

    @property
    def reading(self) -> dict[str, Any] | None:
        return self.advised.check if self.advised else None


@dataclass(frozen=True)
class LevelPage:
    frame: Frame
    patch: Patch
    profile: Profile
    rows: list[LevelRow]
    window: tuple[float, float]
    reference_hz: float
    findings: list[Finding]
    covered: tuple[str, ...]
    phase: str
    running: bool
    knob: LiveKnob | None
    knob_words: str
    margins: dict[str, Margin]

    @property
    def due(self) -> int:
        """How many rows would change with “apply all”."""
        return sum(1 for r in self.rows if r.advised and r.advised.advice.changes and r.remote)

    @property
    def gain_percent(self) -> dict[int, float]:
        span = max(1e-9, self.profile.gain_max_db - self.profile.gain_min_db)
        return {r.socket: 100.0 * (r.input.gain_db - self.profile.gain_min_db) / span for r in self.rows}


def show(desk: Desk, session_id: int) -> LevelPage:
    """Raises NotFound."""
    state = desk.engine_state()
    live = desk.live.of(session_id, LiveLevels)
    with desk.database.transaction() as db:
        session = load(db, session_id)
        patch, profile = patch_of(session), desk.profile_or_blank(session.interface)
        advised = soundcheck.advice(db, session, patch, profile)
        window = (session.window_dbfs[0], session.window_dbfs[1])
        common = describe(desk, session, state)
        reference, margins = session.reference_hz, soundcheck.margins_of(db)
    windows = soundcheck.windows_of(patch, window)
    with live.lock:
        findings, check, knob = desk.live.of(session_id, LiveFindings).get("levels"), live.check, live.knob
        covered = live.covered
        ticked = set(check.sockets) if check.running else set()
    rows = [
        _row(i, patch, profile, windows.get(i.socket, window), window, advised.get(i.socket), i.socket in ticked)
        for i in patch.inputs
        if i.used and i.socket <= profile.inputs
    ]
    return LevelPage(
        common, patch, profile, rows, window, reference, findings, covered,
        check.phase if check.running else "", check.running, knob, knobs.words(knob) if knob else "", margins,
    )


def _row(
    row: PatchInput, patch: Patch, profile: Profile, window: tuple[float, float], usual: tuple[float, float],
    advised: RowAdvice | None, ticked: bool,
) -> LevelRow:
    socket = profile.socket(row.socket)
    track = next((t for t in patch.tracks if row.socket in [socket_of(f) for f in t.feeds]), None)
    switches = tuple(s for s in of_socket(profile, row) if not s.why_not)
    source = " · ".join(filter(None, (row.pickup, row.placement)))
    return LevelRow(
        row.socket, row.name or f"socket {row.socket}", source, row, socket.preamp, socket.remote, switches, track,
        window, window != usual, advised, ticked,
    )

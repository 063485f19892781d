"""The ready check."""

from collections.abc import Sequence
from dataclasses import dataclass

from cattailer.core.findings import Cure, Finding
from cattailer.core.patch.patchcheck import DEFAULT_NAME
from cattailer.core.wording import counted

LITTLE_DISK_MINUTES = 10.0
SILENT_S = 20.0


@dataclass(frozen=True)
class RowState:
    """What the check needs to know of a track."""

    name: str
    armed: bool
    pickup: str
    phantom: bool
    fed: bool
    sockets: tuple[int, ...] = ()
    silent_s: float = 0.0
    """For how long nothing came in."""
    loud: bool = False
    """Something came in lately."""
    clipped: bool = False


def check(
    rows: list[RowState], minutes_left: float, left_text: str, engine_there: bool, late_ms: float | None = None,
    dropouts: int = 0, elsewhere: Sequence[Finding] = (), planned_minutes: float = 0.0,
) -> list[Finding]:
    """Findings, the gravest first. ``late_ms`` is how late players hear themselves where the buffer for mixing is in
    use, else None; ``dropouts`` is how often sound was lost since the interface was opened; ``elsewhere`` is what other
    stages found that bears on a take, ``planned_minutes`` how long the next capture will be where that is known."""
    armed = [r for r in rows if r.armed]
    mixing = []
    if late_ms is not None:
        mixing = [Finding("look", f"The buffer for mixing is in use: players hear themselves {late_ms:.0f} ms late")]
    out: list[Finding] = []
    if not engine_there:
        out.append(Finding("stop", "The engine does not answer; it is being restarted"))
    if not armed:
        out.append(Finding("stop", "No track is armed: tick the box in a row"))
    if minutes_left < planned_minutes:
        out.append(Finding("look", f"{left_text} of disk left, and {planned_minutes:.0f} min are planned"))
    elif minutes_left < LITTLE_DISK_MINUTES:
        out.append(Finding("look", f"Only {left_text} of disk left for these tracks"))
    for row in armed:
        if not row.fed:
            out.append(Finding("look", f"{row.name} has no input, so it is left out"))
        elif row.pickup == "condenser" and not row.phantom:
            cure = Cure("switch 48 V on", "phantom", (("socket", str(row.sockets[0])),)) if row.sockets else None
            out.append(Finding("look", f"{row.name} is a condenser without 48 V: it would be silence", cure=cure))
        elif row.silent_s >= SILENT_S:
            out.append(Finding("look", f"{row.name} is armed, and nothing has come in for {row.silent_s:.0f} s"))
    out += _shared(armed)
    if clipped := [r.name for r in armed if r.clipped]:
        out.append(Finding("look", f"{_some(clipped)} clipped since the peaks were reset: turn the gain down"))
    if forgotten := [r.name for r in rows if r.loud and not r.armed] if armed else []:
        are = "is" if len(forgotten) == 1 else "are"
        out.append(Finding("look", f"{_some(forgotten)} {are} playing and not armed"))
    if dropouts and engine_there:
        text = f"{counted(dropouts, 'dropout')} since the interface was opened. A larger buffer in Timing loses less"
        out.append(Finding("look", text))
    if unnamed := [r.name for r in armed if DEFAULT_NAME.fullmatch(r.name)]:
        are = f"{counted(len(unnamed), 'track')} {'has' if len(unnamed) == 1 else 'have'} no name yet"
        out.append(Finding("look", f"{are}: the file would be called {unnamed[0]}"))
    out += elsewhere
    if armed and not out:
        out.append(Finding("good", f"{counted(len(armed), 'track')} {'is' if len(armed) == 1 else 'are'} armed"))
    if minutes_left >= max(LITTLE_DISK_MINUTES, planned_minutes):
        out.append(Finding("good", f"{left_text} of disk left for {counted(len(armed) or len(rows), 'track')}"))
    return mixing + out


def silent_words(names: list[str]) -> str:
    """Of tracks from whose sockets nothing has come since a capture began; empty where there are none."""
    if not names:
        return ""
    what = f"{_some(names)} {'is' if len(names) == 1 else 'are'} silent"
    of = "its socket" if len(names) == 1 else "their sockets"
    return f"✗ {what}: nothing has come from {of} since the capture began. Check cables, 48 V and gain."


def _some(names: list[str]) -> str:
    return " and ".join(names) if len(names) < 3 else f"{names[0]}, {names[1]} and {len(names) - 2} more"


def _shared(armed: list[RowState]) -> list[Finding]:
    """Sockets that two armed tracks would capture."""
    by_socket: dict[int, list[str]] = {}
    for row in armed:
        for socket in dict.fromkeys(row.sockets):
            by_socket.setdefault(socket, []).append(row.name)
    return [
        Finding("look", f"{names[0]} and {names[1]} would both capture socket {socket}")
        for socket, names in sorted(by_socket.items()) if len(names) > 1
    ]

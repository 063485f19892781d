"""The ready check."""

from dataclasses import dataclass

from cattailer.core.findings import Finding
from cattailer.core.wording import counted

LITTLE_DISK_MINUTES = 10.0


@dataclass(frozen=True)
class RowState:
    """What the check needs to know of a track."""

    name: str
    armed: bool
    pickup: str
    phantom: bool
    fed: bool


def check(
    rows: list[RowState], minutes_left: float, left_text: str, engine_there: bool, late_ms: float | None = None
) -> list[Finding]:
    """Findings, the gravest first. ``late_ms`` is how late players hear themselves where the buffer for mixing is in
    use, else None."""
    armed = [r for r in rows if r.armed]
    mixing = []
    if late_ms is not None:
        mixing = [Finding("look", f"The buffer for mixing is in use: players hear themselves {late_ms:.0f} ms late")]
    out: list[Finding] = []
    if not engine_there:
        out.append(Finding("stop", "The engine does not answer; it is being restarted"))
    if not armed:
        out.append(Finding("stop", "No track is armed: tick the box in a row"))
    if minutes_left < LITTLE_DISK_MINUTES:
        out.append(Finding("look", f"Only {left_text} of disk left for these tracks"))
    for row in armed:
        if not row.fed:
            out.append(Finding("look", f"{row.name} has no input: it would be silence"))
        elif row.pickup == "condenser" and not row.phantom:
            out.append(Finding("look", f"{row.name} is a condenser without 48 V: it would be silence"))
    if armed and not out:
        out.append(Finding("good", f"{counted(len(armed), 'track')} {'is' if len(armed) == 1 else 'are'} armed"))
    if minutes_left >= LITTLE_DISK_MINUTES:
        out.append(Finding("good", f"{left_text} of disk left for {counted(len(armed) or len(rows), 'track')}"))
    return mixing + out

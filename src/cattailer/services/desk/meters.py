"""What the meters of all pages show."""

from cattailer.engine.messages.commands import ChooseMeters, ResetMeters
from cattailer.services.desk.desk import Desk


def reset_meters(desk: Desk, rows: list[int] | None = None) -> None:
    """Forgets held peaks and clip counts, of some source channels or of all."""
    desk.engine.ask(ResetMeters(rows))


def choose_meters(desk: Desk, kind: str, point: str) -> None:
    """What all pages meter: sample peak, true peak, VU or loudness; at the input or after the channel."""
    desk.engine.ask(ChooseMeters(kind, point))

"""Opening the interface that a plan asks for. Today that is always the stand-in."""

from cattailer.core.errors import Refusal
from cattailer.core.plan import Plan
from cattailer.liveroom.clock import Clock
from cattailer.liveroom.driver import LiveRoom
from cattailer.media import profile_toml


def open_live_room(plan: Plan, clock: Clock, cables: tuple[tuple[int, int], ...] = (), seed: int = 1) -> LiveRoom:
    """Raises Refusal for an interface, rate or buffer that does not exist."""
    profile = profile_toml.shipped().get(plan.interface)
    if profile is None:
        raise Refusal(f"There is no interface called {plan.interface!r} here.", 404)
    return LiveRoom(profile, plan.rate_hz, plan.period, clock, plan.tempo, cables, seed)

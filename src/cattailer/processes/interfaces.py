"""Opening the interface that a plan asks for. Today that is always the stand-in."""

import os
from contextlib import suppress
from pathlib import Path

from cattailer.core.errors import Refusal
from cattailer.core.plan import Plan
from cattailer.liveroom.clock import Clock
from cattailer.liveroom.driver import LiveRoom
from cattailer.media import profile_toml


def open_live_room(plan: Plan, clock: Clock, cables: tuple[tuple[int, int], ...] = (), seed: int = 1) -> LiveRoom:
    """Raises Refusal for an interface, rate or buffer that does not exist."""
    folder = os.environ.get("CATTAILER_PROFILES")
    profile = profile_toml.in_folder(Path(folder) if folder else None)[0].get(plan.interface)
    if profile is None:
        raise Refusal(
            f"The profile of the interface {plan.interface!r} is not here, so the session cannot sound. "
            "Nothing is lost: put the profile back or choose another interface under Patch.", 404,
        )
    room = LiveRoom(profile, plan.rate_hz, plan.period, clock, plan.tempo, cables, seed)
    for name, values in plan.room:
        with suppress(Refusal, KeyError, TypeError, ValueError):  # what another interface does not have
            room.command(name, values)
    return room

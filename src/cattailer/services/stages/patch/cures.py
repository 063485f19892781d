"""What one click does about a finding."""

from collections.abc import Callable

from cattailer.core.errors import Refusal
from cattailer.services.desk.desk import Desk
from cattailer.services.session import inputs, tracks
from cattailer.services.stages.patch import routes

Given = dict[str, str]
_CURES: dict[str, Callable[[Desk, int, Given], object]] = {
    "feed": lambda d, s, a: tracks.feed_track(d, s, int(a["track"]), int(a["side"]), a["feed"]),
    "mono": lambda d, s, a: tracks.set_pair(d, s, int(a["track"]), False),
    "rename": lambda d, s, a: tracks.rename_track(d, s, int(a["track"]), a["name"]),
    "remove_track": lambda d, s, a: tracks.remove_track(d, s, int(a["track"])),
    "remove_group": lambda d, s, a: routes.remove_end(d, s, "group", int(a["group"])),
    "switch": lambda d, s, a: inputs.switch(d, s, int(a["socket"]), a["switch"], a["on"] == "true", sure=True),
    "track_from": lambda d, s, a: tracks.add_tracks(d, s, tracks.Wanted(feed=a["feed"])),
    "route": lambda d, s, a: routes.set_route(d, s, a["start"], a["target"], a["on"] == "true"),
    "outputs": lambda d, s, a: routes.set_outputs(d, s, int(a["mix"]), int(a["first"])),
    "gain": lambda d, s, a: inputs.set_gain(d, s, int(a["socket"]), float(a["gain_db"])),
    "accept": lambda d, s, a: routes.accept(d, s, a["key"]),
}


def apply(desk: Desk, session_id: int, action: str, given: Given) -> None:
    """Raises Refusal for a cure that is not known or lacks something."""
    if action not in _CURES:
        raise Refusal("There is no such cure; nothing was changed.")
    try:
        _CURES[action](desk, session_id, given)
    except (KeyError, ValueError) as why:
        raise Refusal("That cure is not complete; nothing was changed. Reload the page.") from why

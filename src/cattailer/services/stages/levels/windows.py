"""The target window: for the session, and for tracks that differ."""

from cattailer.core.errors import Refusal
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import editing

LOWEST_DBFS, LEAST_WIDE_DB = -40.0, 2.0


def set_window(desk: Desk, session_id: int, low_dbfs: float, high_dbfs: float) -> None:
    """Raises Refusal for a window that cannot be aimed at."""
    check(low_dbfs, high_dbfs)
    with editing(desk, session_id) as edit:
        edit.what = f"Target window {low_dbfs:g} to {high_dbfs:g} dBFS"
        edit.session.window_dbfs = [low_dbfs, high_dbfs]


def set_own_window(desk: Desk, session_id: int, track_id: int, window: tuple[float, float] | None) -> None:
    """A track's own window; None goes back to the session's."""
    if window is not None:
        check(*window)
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        said = f"{window[0]:g} to {window[1]:g} dBFS" if window else "as the session's"
        edit.what = f"{track.name}: target window {said}"
        track.window_dbfs = list(window) if window else []


def check(low_dbfs: float, high_dbfs: float) -> None:
    if not LOWEST_DBFS <= low_dbfs < high_dbfs <= 0.0 or high_dbfs - low_dbfs < LEAST_WIDE_DB:
        raise Refusal(
            f"A target window lies between {LOWEST_DBFS:g} and 0 dBFS and is at least {LEAST_WIDE_DB:g} dB wide; "
            f"{low_dbfs:g} to {high_dbfs:g} is not. It stays as it was."
        )

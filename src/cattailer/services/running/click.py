"""The click and the count-in, as the Deck switches them."""

from collections.abc import Callable
from dataclasses import replace

from cattailer.core.errors import Refusal
from cattailer.core.time.clicking import ClickSettings
from cattailer.core.wording import counted
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import editing


def set_click(desk: Desk, session_id: int, on: bool) -> None:
    with editing(desk, session_id) as edit:
        edit.what = f"Click switched {'on' if on else 'off'}"
        edit.session.click = on


def step_count(desk: Desk, session_id: int) -> None:
    """The next of the usual count-ins: none, 1, 2, 4 bars."""
    edit_click(
        desk, session_id, lambda p: replace(p, count_bars=p.next_count),
        lambda p: f"Count-in: {counted(p.count_bars, 'bar')}" if p.count_bars else "No count-in",
    )


def edit_click(
    desk: Desk, session_id: int, change: Callable[[ClickSettings], ClickSettings], words: Callable[[ClickSettings], str]
) -> None:
    with editing(desk, session_id) as edit:
        try:
            made = change(ClickSettings.from_dict(edit.session.clicking))
        except (TypeError, ValueError) as why:
            raise Refusal(f"That cannot be: {why}. The click stays as it was.") from why
        if not set(made.mixes) <= {m.id for m in edit.session.mixes}:
            raise Refusal("One of these mixes is not here any more; the click stays as it was.")
        edit.what = words(made)
        edit.session.clicking = made.to_dict()

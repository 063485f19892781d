"""What was moved, written down when the hand lets go: one edit for a gesture, whatever was moved meanwhile."""

from collections.abc import Sequence

from cattailer.core.errors import Refusal
from cattailer.core.mix.effects import Effects, changed
from cattailer.core.mix.moving import GONE, Move, checked, value_of
from cattailer.core.mix.stepping import Gesture, Gestures, Step, end_of, value_of_row
from cattailer.core.patch.ends import CLICK, EVERYWHERE, GROUP, GUIDE, MIX, RETURN, TRACK, kind_of, mix_end, number_in
from cattailer.engine.messages.commands import MoveControls
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import Edit, editing
from cattailer.store.models import Group, Mix, Return, Route, Track

MOVE_S = 1.0
NOT_HEARD = (404, 409, 503)
"""The engine does not have it, perhaps only not yet, another session is open, or no engine runs. What was moved is
written down all the same."""
_INSIDE = {CLICK: "Click", GUIDE: "Guide notes"}
_WORDS = {
    "fader_db": "fader", "level_db": "level", "live_db": "live level", "playback_db": "playback level",
    "forward_db": "brought forward by", "limit_dbfs": "limit", "balance_db": "balance",
}


def move(desk: Desk, session_id: int, moves: Sequence[Move | Step]) -> None:
    """Heard at once, where this session is open and the engine has it; nothing is written down. Raises Refusal for what
    cannot be moved."""
    to = [(*m.of, m.value) for m in moves if isinstance(m, Move)]
    by = [(*s.of, s.by) for s in moves if isinstance(s, Step)]
    try:
        desk.engine.ask(MoveControls(session_id, to, by), MOVE_S)
    except Refusal as why:
        if why.status not in NOT_HEARD:
            raise


def settle(desk: Desk, session_id: int, moves: Sequence[Move | Step]) -> int | None:
    """Writes down where controls were left; what was stepped leads on from what is written there, so that steps of
    several pages add up. The revision that holds them: no new one where they were at their end already. Raises Refusal
    for what cannot be; then none of them is."""
    if not moves:
        return None
    with editing(desk, session_id) as edit:
        words = [_apply(edit, gesture) for gesture in Gestures().then(moves).of_control.values()]
        edit.what = words[0] if len(set(words)) == 1 else f"{len(words)} controls moved"
    return edit.session.revision


def _apply(edit: Edit, gesture: Gesture) -> str:
    """Changes a row; returns what it was, in words."""
    first = gesture[0]
    row = cell_row(edit, first.end, first.target) if first.target else end_row(edit, first.end)
    move = checked(end_of(gesture, value_of_row(row, first) if isinstance(first, Step) else 0.0))
    kind, dot, setting = move.what.partition(".")
    if dot:
        assert not isinstance(row, Route | Mix)
        row.effects = changed(Effects.from_dict(row.effects), kind, setting, value_of(move)).to_dict()
        return f"{name_of(edit, move.end)}: {kind} moved"
    setattr(row, move.what, value_of(move))
    at = f" in {name_of(edit, move.target)}" if move.target else ""
    return f"{name_of(edit, move.end)} {_said(move)}{at}"


def _said(move: Move) -> str:
    if move.what in ("muted", "soloed"):
        return move.what if move.value else f"not {move.what} any more"
    if move.what == "pan":
        return "panned"
    if move.what == "width_percent":
        return f"width {move.value:g} %"
    return f"{_WORDS[move.what]} {move.value:+.1f} dB".replace("-", "−")


def end_row(edit: Edit, end: str) -> Track | Group | Return | Mix:
    """Raises NotFound for an end that is gone."""
    kind = kind_of(end)
    number = number_in(end)
    if kind == TRACK:
        return edit.track(number)
    if kind == GROUP:
        return edit.group(number)
    if kind == RETURN:
        return edit.returned(number)
    if kind == MIX:
        return edit.mix(number)
    raise Refusal(GONE, 404)


def cell_row(edit: Edit, start: str, target: str) -> Route:
    """The way from a row to a mix, group or return. Click and guide notes go everywhere, and have one as soon as it
    differs."""
    for route in edit.session.routes:
        if (route.start, route.target) == (start, target):
            return route
    if start in EVERYWHERE and target in {mix_end(m.id) for m in edit.session.mixes}:
        made = Route(start=start, target=target)
        edit.session.routes.append(made)
        edit.db.flush()
        return made
    raise Refusal(GONE, 404)


def name_of(edit: Edit, end: str) -> str:
    return _INSIDE[end] if end in EVERYWHERE else end_row(edit, end).name

"""Effects on tracks, groups and returns, and the returns themselves."""

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.mix.effects import KINDS, SPACES, Compressor, Effects, Equaliser, Reverb, changed
from cattailer.core.mix.moving import Move
from cattailer.core.naming import clean_name
from cattailer.core.patch.ends import RETURN, kind_of, mix_end, return_end
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import Edit, editing
from cattailer.services.stages.listen.costing import check
from cattailer.services.stages.listen.gestures import end_row, settle
from cattailer.store.models import Group, Return, Track

MOST_RETURNS = 8
WORDS = {"eq": "equaliser", "dyn": "compressor", "reverb": "reverb"}
_MADE = {"eq": Effects(Equaliser()), "dyn": Effects(dyn=Compressor()), "reverb": Effects(reverb=Reverb())}


def insert(desk: Desk, session_id: int, end: str, kind: str, sure: bool = False) -> None:
    """Puts an effect into a row, as it comes: it changes nothing until it is moved, but for a reverb. Raises Sure
    where it is too slow for the buffer."""
    if kind not in KINDS:
        raise Refusal("There is no such effect, so nothing was changed.")
    if kind == "reverb" and kind_of(end) != RETURN:
        raise Refusal("A reverb stands on a return, for all who send to it. Nothing was changed.")
    check(desk, session_id, end, kind, sure)
    with editing(desk, session_id) as edit:
        row = _row(edit, end)
        edit.what = f"{row.name}: {WORDS[kind]} put in"
        row.effects = {**_MADE[kind].to_dict(), **row.effects}


def take_out(desk: Desk, session_id: int, end: str, kind: str) -> None:
    with editing(desk, session_id) as edit:
        row = _row(edit, end)
        edit.what = f"{row.name}: {WORDS.get(kind, kind)} taken out"
        row.effects = {name: value for name, value in row.effects.items() if name != kind}


def switch(desk: Desk, session_id: int, end: str, kind: str, on: bool, sure: bool = False) -> None:
    """Raises Sure where an effect that is switched on is too slow for the buffer."""
    if on:
        check(desk, session_id, end, kind, sure)
    settle(desk, session_id, [Move(end, "", f"{kind}.on", float(on))])


def set_prints(desk: Desk, session_id: int, track_id: int, prints: bool) -> None:
    """Whether a track's effects are captured, or only heard."""
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        edit.what = f"Effects of {track.name} {'captured too' if prints else 'heard only'}"
        track.prints = prints


def choose_space(desk: Desk, session_id: int, end: str, space: str) -> None:
    with editing(desk, session_id) as edit:
        row = _row(edit, end)
        row.effects = changed(Effects.from_dict(row.effects), "reverb", "space", space).to_dict()
        edit.what = f"{row.name}: {SPACES[space]}"


def add_return(desk: Desk, session_id: int, sure: bool = False) -> int:
    """A return with a reverb, heard in every mix; returns its id. Nothing is sent to it yet. Raises Sure where
    a reverb is too slow for the buffer."""
    check(desk, session_id, RETURN, "reverb", sure)
    with editing(desk, session_id) as edit:
        rows = edit.session.returns
        if len(rows) >= MOST_RETURNS:
            raise NotNow(f"A session has at most {MOST_RETURNS} returns; nothing was changed.")
        taken = {r.effects.get("reverb", {}).get("space") for r in rows}
        space = next((s for s in ("grain barn", "pantry", "stone stair") if s not in taken), "grain barn")
        made = Return(
            place=max((r.place for r in rows), default=0) + 1, name=_free_name(edit, SPACES[space]),
            effects=Effects(reverb=Reverb(space=space)).to_dict(),
        )
        rows.append(made)
        edit.db.flush()
        for mix in edit.session.mixes:
            edit.route(return_end(made.id), mix_end(mix.id), True)
        edit.what = f"Return {made.name} added"
        return made.id


def rename_return(desk: Desk, session_id: int, return_id: int, name: str, was: str | None = None) -> None:
    name = clean_name(name, "return's name")
    with editing(desk, session_id) as edit:
        row = edit.returned(return_id)
        edit.expect(row, "name", was, "The return's name")
        edit.what = f"{row.name} renamed to {name}"
        row.name = name


def remove_return(desk: Desk, session_id: int, return_id: int) -> None:
    """With everything that was sent to it."""
    with editing(desk, session_id) as edit:
        row, key = edit.returned(return_id), return_end(return_id)
        edit.what = f"Return {row.name} removed"
        edit.session.returns.remove(row)
        for route in [r for r in edit.session.routes if key in (r.start, r.target)]:
            edit.session.routes.remove(route)


def _row(edit: Edit, end: str) -> Track | Group | Return:
    row = end_row(edit, end)
    if not isinstance(row, Track | Group | Return):
        raise Refusal("A mix has no effects but its limiter. Put them on rows, groups or returns.")
    return row


def _free_name(edit: Edit, name: str) -> str:
    taken = {r.name for r in edit.session.returns}
    return name if name not in taken else next(n for i in range(2, 99) if (n := f"{name} {i}") not in taken)

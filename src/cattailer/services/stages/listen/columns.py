"""A column of the sheet of ears: who listens, to which rows, and how they come."""

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.mix.cells import Cell
from cattailer.core.mix.limiting import OFF, WAYS
from cattailer.core.mix.moving import LIMIT, Move, checked
from cattailer.core.patch.ends import EVERYWHERE, GROUP, RETURN, TRACK, kind_of, mix_end, track_end
from cattailer.core.patch.routing import check_route
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import Edit, editing
from cattailer.services.session.rows import cell_of, patch_of
from cattailer.services.stages.listen.gestures import cell_row, name_of
from cattailer.store.models import Mix

_KEPT = ("level_db", "pan", "muted")


def send(desk: Desk, session_id: int, start: str, target: str, on: bool) -> None:
    """Lets a mix, group or return have a row, or not. Raises Refusal for what cannot be, and names a circle."""
    if kind_of(start) not in (TRACK, GROUP, RETURN):
        raise Refusal("That row goes everywhere by itself; mute it where it is not wanted.")
    with editing(desk, session_id) as edit:
        if on:
            check_route(patch_of(edit.session), desk.profile_or_blank(edit.session.interface), start, target)
        edit.what = f"{name_of(edit, start)} {'in' if on else 'no longer in'} {name_of(edit, target)}"
        edit.route(start, target, on)


def copy(desk: Desk, session_id: int, mix_id: int, source_id: int) -> None:
    """Makes a cue mix sound as another mix does, row by row; of the main mix, as its faders stand."""
    if mix_id == source_id:
        raise Refusal("That is the same mix, so nothing was changed.")
    with editing(desk, session_id) as edit:
        mix, source = edit.mix(mix_id), edit.mix(source_id)
        if mix.kind == "main":
            raise NotNow("The main mix is set by its faders; copy from it, not into it. Nothing was changed.")
        edit.what = f"{mix.name} copied from {source.name}"
        wanted = _of_main(edit) if source.kind == "main" else _of_cue(edit, source)
        key = mix_end(mix_id)
        for route in [r for r in edit.session.routes if r.target == key and r.start not in wanted]:
            edit.session.routes.remove(route)
        for start, cell in wanted.items():
            if start not in EVERYWHERE:
                edit.route(start, key, True)
                edit.db.flush()
            row = cell_row(edit, start, key)
            for name in _KEPT:
                setattr(row, name, getattr(cell, name))


def _of_main(edit: Edit) -> dict[str, Cell]:
    """Every track at its fader, and the returns that the main mix has: groups are heard by what is in them."""
    main = mix_end(next(m.id for m in edit.session.mixes if m.kind == "main"))
    out = {
        track_end(t.id): Cell(track_end(t.id), main, t.fader_db, t.pan, t.muted) for t in edit.session.tracks
    }
    for route in edit.session.routes:
        if route.target == main and kind_of(route.start) == RETURN:
            end = next((r for r in edit.session.returns if f"{RETURN}:{r.id}" == route.start), None)
            if end is not None:
                out[route.start] = Cell(route.start, main, end.fader_db, None, end.muted)
    return out


def _of_cue(edit: Edit, source: Mix) -> dict[str, Cell]:
    return {r.start: cell_of(r) for r in edit.session.routes if r.target == mix_end(source.id)}


def set_own(desk: Desk, session_id: int, mix_id: int, track_id: int, own: bool) -> None:
    """Whether a track is the own sound of whoever listens to that mix."""
    with editing(desk, session_id) as edit:
        mix, track = edit.mix(mix_id), edit.track(track_id)
        edit.what = f"{track.name} {'is' if own else 'is not'} the player's own in {mix.name}"
        mix.own = sorted({*mix.own, track_id} if own else {*mix.own} - {track_id})


def set_after_fader(desk: Desk, session_id: int, mix_id: int, after: bool) -> None:
    """Whether a cue mix takes rows after their faders, or before."""
    with editing(desk, session_id) as edit:
        mix = edit.mix(mix_id)
        if mix.kind == "main":
            raise NotNow("The main mix is what the faders make. Nothing was changed.")
        edit.what = f"{mix.name} takes rows {'after' if after else 'before'} their faders"
        mix.after_fader = after


def set_limit(desk: Desk, session_id: int, mix_id: int, by: str) -> None:
    """How the limiter of a mix looks for peaks, or ``OFF``; how high it lets sound go is moved."""
    if by not in WAYS:
        raise Refusal(f"Choose one of {', '.join(WAYS)}. Nothing was changed.")
    with editing(desk, session_id) as edit:
        mix = edit.mix(mix_id)
        edit.what = f"{mix.name} without a limiter" if by == OFF else f"Limiter of {mix.name}: {by}"
        if by == OFF:
            mix.limit_dbfs = None
        else:
            mix.limit_by, mix.limit_dbfs = by, LIMIT.usual if mix.limit_dbfs is None else mix.limit_dbfs


def let_in(desk: Desk, session_id: int, track_id: int, mix_id: int) -> None:
    """Gives a mix a track, at 0 dB where it did not have it, and not muted."""
    with editing(desk, session_id) as edit:
        track, mix = edit.track(track_id), edit.mix(mix_id)
        edit.what = f"{track.name} let into {mix.name}"
        edit.route(track_end(track_id), mix_end(mix_id), True)
        edit.db.flush()
        cell_row(edit, track_end(track_id), mix_end(mix_id)).muted = False


def leave_to_group(desk: Desk, session_id: int, track_id: int, mix_id: int) -> None:
    """Takes a track out of a mix that has it by way of a group too."""
    send(desk, session_id, track_end(track_id), mix_end(mix_id), False)


def set_send(desk: Desk, session_id: int, start: str, target: str, level_db: float | None) -> None:
    """How much of a row goes to a return; None sends nothing. Raises Refusal for what cannot be, and names a circle."""
    if kind_of(target) != RETURN or kind_of(start) not in (TRACK, GROUP, RETURN):
        raise Refusal("Only rows are sent to returns, so nothing was changed.")
    with editing(desk, session_id) as edit:
        if level_db is None:
            edit.what = f"{name_of(edit, start)} not sent to {name_of(edit, target)} any more"
            edit.route(start, target, False)
            return
        checked(Move(start, target, "level_db", level_db))
        check_route(patch_of(edit.session), desk.profile_or_blank(edit.session.interface), start, target)
        edit.what = f"{name_of(edit, start)} sent to {name_of(edit, target)} at {level_db:+.1f} dB".replace("-", "−")
        edit.route(start, target, True)
        edit.db.flush()
        cell_row(edit, start, target).level_db = level_db

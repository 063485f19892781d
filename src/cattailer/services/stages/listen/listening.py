"""How the live input of a track is listened to, by everybody or in one mix, and what is heard alone."""

from cattailer.core.errors import Refusal
from cattailer.core.mix.listening import DIRECT, PATHS, POINTS, WHENS
from cattailer.core.patch.ends import mix_end, track_end
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import Edit, count_on, editing
from cattailer.services.session.pushing import push
from cattailer.services.session.reading import load
from cattailer.services.session.rows import patch_of
from cattailer.services.stages.listen.gestures import cell_row

CHOICES = {"path": PATHS, "when": WHENS, "point": POINTS}


def choose(desk: Desk, session_id: int, track_id: int, what: str, value: str) -> None:
    """For everybody who has not chosen otherwise."""
    _check(what, value)
    with editing(desk, session_id) as edit:
        _check_direct(desk, edit, value)
        track = edit.track(track_id)
        edit.what = f"{track.name} listened to: {value}"
        setattr(track, f"listen_{what}", value)


def choose_in(desk: Desk, session_id: int, track_id: int, mix_id: int, what: str, value: str) -> None:
    """In one mix; an empty ``value`` listens there as everybody does."""
    if value:
        _check(what, value)
    with editing(desk, session_id) as edit:
        _check_direct(desk, edit, value)
        track, mix = edit.track(track_id), edit.mix(mix_id)
        row = cell_row(edit, track_end(track_id), mix_end(mix_id))
        edit.what = f"{track.name} in {mix.name} listened to: {value or 'as everywhere'}"
        setattr(row, what, value)


def _check(what: str, value: str) -> None:
    if value not in CHOICES.get(what, ()):
        raise Refusal("There is no such way of listening, so nothing was changed.")


def _check_direct(desk: Desk, edit: Edit, value: str) -> None:
    profile = desk.profile_or_blank(edit.session.interface)
    if value == DIRECT and not profile.direct:
        raise Refusal(f"{profile.name} has no Direct path, so nothing was changed.")


def hear_alone(desk: Desk, session_id: int, end: str) -> None:
    """The main mix plays one row alone, before its fader; empty ends that. It is no edit: nothing is undone by it."""
    with desk.database.transaction() as db:
        session = load(db, session_id)
        patch = patch_of(session)
        known = {e.key for ends in (patch.tracks, patch.groups, patch.returns) for e in ends}
        if end and end not in known:
            raise Refusal("That row is not there any more, so nothing was changed.", 404)
        session.alone = end
        count_on(db, session)
    push(desk, session_id)

"""Routes, groups and mixes."""

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.naming import clean_name
from cattailer.core.patch.ends import GROUP, TRACK, end_of, group_end, kind_of, mix_end
from cattailer.core.patch.routing import check_route
from cattailer.core.plan import MOST_MIXES
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import Edit, editing
from cattailer.services.session.rows import patch_of
from cattailer.store.models import Group, Mix

MOST = {"group": 16, "mix": MOST_MIXES}
NAMES = {"group": "group", "mix": "cue mix"}


def set_route(desk: Desk, session_id: int, start: str, target: str, on: bool) -> None:
    """Makes or takes away a way from a track or group into a group or mix.

    Raises Refusal for what cannot be, NotNow with the loop named when it would close one, and while
    a capture runs.
    """
    desk.forbid_while_capturing(session_id, "routing")
    if kind_of(start) not in (TRACK, GROUP):
        raise Refusal("Sockets and software sources are fed into tracks; choose it in the track's row.")
    with editing(desk, session_id) as edit:
        if on:
            check_route(patch_of(edit.session), desk.profile_or_blank(edit.session.interface), start, target)
        patch = patch_of(edit.session)
        names = {end.key: end.name for ends in (patch.tracks, patch.groups, patch.mixes) for end in ends}
        edit.what = f"{names.get(start, start)} {'sent to' if on else 'no longer in'} {names.get(target, target)}"
        edit.route(start, target, on)


def add_end(desk: Desk, session_id: int, kind: str, name: str = "") -> int:
    """A new group ("group") or cue mix ("mix"); returns its id. Groups go to the main mix, cue mixes
    to the next free pair of outputs."""
    desk.forbid_while_capturing(session_id, "routing")
    with editing(desk, session_id) as edit:
        rows: list[Group] | list[Mix] = edit.session.groups if kind == "group" else edit.session.mixes
        if len(rows) >= MOST[kind]:
            raise NotNow(f"A session has at most {MOST[kind]} of these; nothing was changed.")
        number = sum(1 for r in rows if kind == "group" or getattr(r, "kind", "") == "cue") + 1
        called = clean_name(name, f"{NAMES[kind]}'s name") if name.strip() else f"{NAMES[kind].capitalize()} {number}"
        place = max((r.place for r in rows), default=0) + 1
        edit.what = f"{NAMES[kind].capitalize()} {called} added"
        if kind == "group":
            group = Group(place=place, name=called)
            edit.session.groups.append(group)
            edit.db.flush()
            main = next((m for m in edit.session.mixes if m.kind == "main"), None)
            if main is not None:
                edit.route(group_end(group.id), mix_end(main.id), True)
            return group.id
        # Players keep what they hear while the engineer rides the faders.
        mix = Mix(place=place, name=called, outputs=_free_outputs(desk, edit), after_fader=False)
        edit.session.mixes.append(mix)
        edit.db.flush()
        return mix.id


def rename_end(desk: Desk, session_id: int, kind: str, end_id: int, name: str, was: str | None = None) -> None:
    name = clean_name(name, f"{NAMES[kind]}'s name")
    with editing(desk, session_id) as edit:
        row: Group | Mix = edit.group(end_id) if kind == "group" else edit.mix(end_id)
        edit.expect(row, "name", was, f"The {NAMES[kind]}'s name")
        edit.what = f"{row.name} renamed to {name}"
        row.name = name


def remove_end(desk: Desk, session_id: int, kind: str, end_id: int) -> None:
    """Removes a group or a cue mix with its routes; tracks that a group fed are without a feed then."""
    desk.forbid_while_capturing(session_id, "routing")
    with editing(desk, session_id) as edit:
        key = f"{kind}:{end_id}"
        if kind == "group":
            group = edit.group(end_id)
            edit.what = f"Group {group.name} removed"
            edit.session.groups.remove(group)
        else:
            mix = edit.mix(end_id)
            if mix.kind == "main":
                raise NotNow("The main mix stays: it is what the control room hears. Nothing was changed.")
            edit.what = f"{mix.name} removed"
            edit.session.mixes.remove(mix)
        for route in [r for r in edit.session.routes if key in (r.start, r.target)]:
            edit.session.routes.remove(route)
        for track in edit.session.tracks:
            track.feeds = ["" if end_of(f) == key else f for f in track.feeds]


def set_outputs(desk: Desk, session_id: int, mix_id: int, first: int | None) -> None:
    """Sends a mix to a pair of outputs, counted as printed; None takes it off."""
    desk.forbid_while_capturing(session_id, "routing")
    with editing(desk, session_id) as edit:
        mix = edit.mix(mix_id)
        profile = desk.profile_or_blank(edit.session.interface)
        if first is not None and not 1 <= first < profile.outputs:
            raise Refusal(f"{profile.name} has outputs 1 to {profile.outputs}; a mix needs two. Nothing was changed.")
        edit.what = f"{mix.name} on outputs {first}+{first + 1}" if first else f"{mix.name} has no output"
        mix.outputs = [first, first + 1] if first else []


def accept(desk: Desk, session_id: int, key: str) -> None:
    """A finding is meant so, and is not shown again."""
    with editing(desk, session_id) as edit:
        edit.what = "A finding was left as it is"
        edit.session.accepted = sorted({*edit.session.accepted, key[:80]})


def _free_outputs(desk: Desk, edit: Edit) -> list[int]:
    taken = {o for m in edit.session.mixes for o in m.outputs}
    count = desk.profile_or_blank(edit.session.interface).outputs
    return next(([o, o + 1] for o in range(1, count, 2) if not {o, o + 1} & taken), [])

"""Tracks: adding, naming, feeding, arming, ordering."""

from collections.abc import Collection, Iterable
from dataclasses import dataclass

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.naming import MAX_NAME, clean_name
from cattailer.core.patch.ends import (
    GROUP,
    SOCKET,
    SOFT,
    check_feed,
    end_of,
    group_end,
    kind_of,
    mix_end,
    name_of,
    pair_from,
    socket_end,
    socket_of,
    track_end,
)
from cattailer.core.patch.patch import COLOURS, ICONS
from cattailer.core.patch.routing import check_route
from cattailer.core.plan import MOST_FEEDERS
from cattailer.core.wording import counted
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import Edit, editing
from cattailer.services.session.rows import patch_of, take_counts
from cattailer.store.models import Track

MOST_TRACKS = 256


@dataclass(frozen=True)
class Wanted:
    """Tracks to add: ``count`` of them, each mono or a pair, fed from ``feed`` upward ("" for none)."""

    count: int = 1
    pair: bool = False
    feed: str = ""
    name: str = ""


def add_tracks(desk: Desk, session_id: int, wanted: Wanted) -> list[int]:
    """Adds tracks and sends them to the main mix; returns their ids.

    Many are fed from the first socket upward, two sockets for each pair. They are named after what
    is listed there, else numbered. A track that takes a group's sound is not sent on: the group is
    heard already.
    """
    desk.forbid_while_capturing(session_id, "adding tracks")
    if not 1 <= wanted.count <= 64:
        raise Refusal("Add between 1 and 64 tracks at once; nothing was changed.")
    name = clean_name(wanted.name, "track's name") if wanted.name.strip() else ""
    with editing(desk, session_id) as edit:
        profile = desk.profile_or_blank(edit.session.interface)
        start = check_feed(wanted.feed, profile, {g.id for g in edit.session.groups})
        socket = socket_of(start)
        step = 2 if wanted.pair else 1
        if socket is not None and socket + wanted.count * step - 1 > profile.inputs:
            raise Refusal(
                f"{wanted.count} {'pairs' if wanted.pair else 'tracks'} from socket {socket} upward would need "
                f"{socket + wanted.count * step - 1} sockets; {profile.name} has {profile.inputs}. Nothing was changed."
            )
        made = []
        for n in range(wanted.count):
            feed = socket_end(socket + n * step) if socket is not None else start
            feeds = pair_from(feed, profile) if wanted.pair else (feed,)
            made.append(add_one(edit, feeds, name if wanted.count == 1 else f"{name} {n + 1}" if name else ""))
        first, last = made[0].name, made[-1].name
        edit.what = f"Track {first} added" if len(made) == 1 else f"{len(made)} tracks added, {first} to {last}"
        return [t.id for t in made]


def add_one(edit: Edit, feeds: Iterable[str], name: str = "", to_main: bool = True) -> Track:
    """One track at the end, named after its socket when no name is given."""
    session = edit.session
    feeds = list(feeds)
    if len(session.tracks) >= MOST_TRACKS:
        raise NotNow(f"A session holds {MOST_TRACKS} tracks. Remove some first; nothing was changed.")
    for feed in feeds:
        check_feeders(edit, feed)
    labels = {socket_end(i.socket): i.label or i.source for i in session.inputs}
    end = end_of(feeds[0])
    group = {group_end(g.id): g.name for g in session.groups}.get(end, "")
    called = name or labels.get(feeds[0]) or group or (name_of(end).capitalize() if kind_of(end) == SOFT else "")
    track = Track(
        place=max((t.place for t in session.tracks), default=0) + 1, name=called or f"Track {len(session.tracks) + 1}",
        feeds=feeds,
    )
    session.tracks.append(track)
    edit.db.flush()
    main = next((m for m in session.mixes if m.kind == "main"), None)
    if main is not None and to_main and kind_of(end) != GROUP:
        edit.route(track_end(track.id), mix_end(main.id), True)
    return track


def add_silent(desk: Desk, session_id: int, name: str) -> int:
    """A track that nothing feeds and no mix gets, for what is written rather than captured; returns its id."""
    with editing(desk, session_id) as edit:
        track = add_one(edit, ("",), name, to_main=False)
        edit.what = f"Track {name} added"
        return track.id


def rename_track(desk: Desk, session_id: int, track_id: int, name: str, was: str | None = None) -> None:
    """Files that are there keep their names."""
    name = clean_name(name, "track's name")
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        edit.expect(track, "name", was, "The track's name")
        edit.what = f"{track.name} renamed to {name}"
        track.name = name


def set_note(desk: Desk, session_id: int, track_id: int, note: str, was: str | None = None) -> None:
    note = clean_name(note, "note") if note.strip() else ""
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        edit.expect(track, "note", was, f"The note of {track.name}")
        edit.what = f"Note of {track.name} {'changed' if note else 'cleared'}"
        track.note = note


def set_look(desk: Desk, session_id: int, track_id: int, colour: str | None = None, icon: str | None = None) -> None:
    """A track's colour or icon; empty for none."""
    if (colour is not None and colour not in COLOURS) or (icon is not None and icon not in ICONS):
        raise Refusal("There is no such colour or icon; nothing was changed.")
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        edit.what = f"{'Colour' if colour is not None else 'Icon'} of {track.name} changed"
        if colour is not None:
            track.colour = colour
        if icon is not None:
            track.icon = icon


def feed_track(desk: Desk, session_id: int, track_id: int, side: int, feed: str, was: str | None = None) -> None:
    """Feeds one side of a track (0 is left, or mono); an empty feed unplugs it.

    When the left side of a pair that has no right one is fed, the right side follows from the neighbour.
    Raises NotNow when the page showed something else, or while a capture runs.
    """
    desk.forbid_while_capturing(session_id, "routing")
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        if not 0 <= side < len(track.feeds):
            raise Refusal(f"{track.name} is {'a pair' if len(track.feeds) == 2 else 'mono'}, so there is no such side.")
        profile = desk.profile_or_blank(edit.session.interface)
        feed = check_feed(feed, profile, {g.id for g in edit.session.groups})
        old = track.feeds[side]
        if was is not None and was != old:
            raise NotNow(f"{track.name} was fed otherwise on another page meanwhile. Look at the row and choose again.")
        if feed:
            check_route(patch_of(edit.session), profile, end_of(feed), track_end(track.id))
            check_feeders(edit, feed)
        feeds = list(track.feeds)
        feeds[side] = feed
        if side == 0 and feed and len(feeds) == 2 and not feeds[1] and socket_of(feed) != profile.inputs:
            feeds[1] = pair_from(feed, profile)[1]
        edit.what = f"{track.name} {_moved(old, feed)}"
        track.feeds = feeds


def set_pair(desk: Desk, session_id: int, track_id: int, pair: bool) -> None:
    """Mono or a pair. A pair takes the next socket too, where there is one."""
    desk.forbid_while_capturing(session_id, "mono or pair")
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        edit.what = f"{track.name} is {'a pair' if pair else 'mono'}"
        if pair and len(track.feeds) == 1:
            profile = desk.profile_or_blank(edit.session.interface)
            last = socket_of(track.feeds[0]) == profile.inputs
            track.feeds = [track.feeds[0], ""] if last else list(pair_from(track.feeds[0], profile))
        elif not pair:
            track.feeds = [track.feeds[0] or track.feeds[-1]]


def duplicate(desk: Desk, session_id: int, track_id: int) -> int:
    """A second layer: the same feed under a new name, both spread left and right; returns its id."""
    desk.forbid_while_capturing(session_id, "adding tracks")
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        names = {t.name for t in edit.session.tracks}
        number = next(n for n in range(2, 1000) if f"{track.name[: MAX_NAME - 5]} {n}" not in names)
        layer = add_one(edit, track.feeds, f"{track.name[: MAX_NAME - 5]} {number}", to_main=False)
        layer.colour, layer.icon = track.colour, track.icon
        if len(track.feeds) == 1 and track.pan == 0.0:
            track.pan, layer.pan = -0.5, 0.5
        elif len(track.feeds) == 1:
            layer.pan = -track.pan
        for route in list(edit.session.routes):
            if route.start == track_end(track.id):
                edit.route(track_end(layer.id), route.target, True)
        _order(edit, layer, track.place + 1)
        meant = {f"twice:{f}:{layer.id}" for f in track.feeds}
        edit.session.accepted = sorted({*edit.session.accepted, *meant})
        edit.what = f"{layer.name} added as a second layer of {track.name}"
        return layer.id


def remove_track(desk: Desk, session_id: int, track_id: int) -> None:
    """Raises NotNow for one that holds takes."""
    desk.forbid_while_capturing(session_id, "removing tracks")
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        if count := take_counts(edit.session).get(track.id, 0):
            raise NotNow(
                f"{track.name} holds {counted(count, 'take')}, so it stays. "
                "Unplug it if nothing more should be captured on it."
            )
        edit.what = f"Track {track.name} removed"
        _take_off(edit, track)


def remove_made_for(desk: Desk, session_id: int, ids: Collection[int], why: str) -> None:
    """Tracks that were made for sound that did not come, unless they hold a take by now. Raises NotFound where the
    session is gone."""
    with editing(desk, session_id) as edit:
        held = take_counts(edit.session)
        gone = [t for t in edit.session.tracks if t.id in ids and not held.get(t.id)]
        for track in gone:
            _take_off(edit, track)
        edit.what = f"{counted(len(gone), 'track')} removed: {why}"


def _take_off(edit: Edit, track: Track) -> None:
    """With its routes to mixes, groups and returns."""
    for route in [r for r in edit.session.routes if r.start == track_end(track.id)]:
        edit.session.routes.remove(route)
    edit.session.tracks.remove(track)


def move_track(desk: Desk, session_id: int, track_id: int, place: int) -> None:
    """Puts a track at a place in the order, counted from 1."""
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        edit.what = f"{track.name} moved to place {min(max(1, place), len(edit.session.tracks))}"
        _order(edit, track, place)


def check_feeders(edit: Edit, feed: str) -> None:
    """Raises NotNow when more groups would feed tracks than the engine has room for."""
    if kind_of(feed) == GROUP:
        feeding = {end_of(f) for t in edit.session.tracks for f in t.feeds if kind_of(f) == GROUP}
        if len(feeding | {end_of(feed)}) > MOST_FEEDERS:
            raise NotNow(f"{MOST_FEEDERS} groups feed tracks already, which is the most. Nothing was changed.")


def _order(edit: Edit, track: Track, place: int) -> None:
    rest = [t for t in sorted(edit.session.tracks, key=lambda t: t.place) if t is not track]
    rest.insert(min(max(1, place), len(rest) + 1) - 1, track)
    for n, each in enumerate(rest, 1):
        each.place = n
    edit.db.flush()
    edit.db.expire(edit.session, ["tracks"])


def _moved(old: str, new: str) -> str:
    def said(feed: str) -> str:
        return f"{'socket' if kind_of(feed) == SOCKET else kind_of(feed)} {name_of(feed)}"

    if old and new:
        if kind_of(old) == SOCKET and kind_of(new) == SOCKET:
            return f"moved from socket {name_of(old)} to {name_of(new)}"
        return f"moved from {said(old)} to {said(new)}"
    return f"fed by {said(new)}" if new else f"unplugged from {said(old)}"

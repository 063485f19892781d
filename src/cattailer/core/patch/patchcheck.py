"""What in a patch needs a look: said in words, each with a cure. Nothing here blocks a capture."""

import re
from collections import defaultdict
from collections.abc import Iterator

from cattailer.core.findings import Cure, Finding
from cattailer.core.gear.interface import Profile
from cattailer.core.patch.ends import GROUP, SOCKET, end_of, kind_of, name_of, socket_end, socket_of
from cattailer.core.patch.patch import Patch, PatchGroup, PatchTrack

DEFAULT_NAME = re.compile(r"(?:track|input)\s*\d*", re.IGNORECASE)


def check(patch: Patch, profile: Profile, accepted: frozenset[str] = frozenset()) -> list[Finding]:
    """Findings that need a look first, then what is in order. Accepted ones are left out."""
    rules = (_profile, _sockets_gone, _feeds, _pairs, _names, _twice, _powered, _unused, _ways, _mixes)
    found = [f for rule in rules for f in rule(patch, profile) if f.key not in accepted]
    return [*found, *_good(patch, found)]


def _look(key: str, end: str, text: str, cure: Cure | None = None) -> Finding:
    return Finding("look", text, key, end, cure)


def _cure(words: str, action: str, **arguments: object) -> Cure:
    return Cure(words, action, tuple((k, str(v)) for k, v in arguments.items()))


def _profile(patch: Patch, profile: Profile) -> Iterator[Finding]:
    if not profile.known:
        text = f"The profile “{profile.key}” is not here any more. Everything is kept; choose another interface."
        yield _look("profile", "", text)


def _sockets_gone(patch: Patch, profile: Profile) -> Iterator[Finding]:
    """The session was made for an interface with more sockets."""
    if not profile.known:
        return
    for track in patch.tracks:
        gone = [s for f in track.feeds if (s := socket_of(f)) and s > profile.inputs]
        if gone:
            text = f"{track.name} is fed by socket {'+'.join(map(str, gone))}, which {profile.name} does not have"
            cure = _cure("unplug it", "feed", track=track.id, side=0, feed="")
            yield _look(f"gone:{track.id}", track.key, text, cure)


def _written(track: PatchTrack) -> bool:
    """Whether a track only keeps takes, as a printed click does: nothing feeds it, and nothing is missing."""
    return track.takes > 0 and not track.armed and not any(track.feeds)


def _feeds(patch: Patch, profile: Profile) -> Iterator[Finding]:
    free = _free_sockets(patch, profile)
    for track in patch.tracks:
        if any(track.feeds) or _written(track):
            continue
        same = [s for s, name in free.items() if name.lower() == track.name.lower()]
        best = same or list(free)
        cure: Cure | None
        if best:
            cure = _cure(
                f"use {best[0]} {free[best[0]]}".strip(), "feed", track=track.id, side=0, feed=socket_end(best[0])
            )
        else:
            cure = _cure("remove it", "remove_track", track=track.id) if not track.takes else None
        yield _look(f"unfed:{track.id}", track.key, f"Nothing feeds {track.name}", cure)


def _pairs(patch: Patch, profile: Profile) -> Iterator[Finding]:
    """A pair track needs two of a kind: not one socket twice, one side empty, or two different sources."""
    names = {i.socket: i for i in patch.inputs}
    for track in patch.tracks:
        if not track.pair or not any(track.feeds):
            continue
        left, right = track.feeds
        one = left == right or not left or not right
        if not one and (a := socket_of(left)) and (b := socket_of(right)):
            first, second = names.get(a), names.get(b)
            one = bool(first and second and first.used and not second.used)
        if one:
            text = f"{track.name} is a pair, but a single microphone feeds it"
            yield _look(f"single:{track.id}", track.key, text, _cure("make it mono", "mono", track=track.id))


def _names(patch: Patch, profile: Profile) -> Iterator[Finding]:
    names = {socket_end(i.socket): i.name for i in patch.inputs}
    for track in patch.tracks:
        if DEFAULT_NAME.fullmatch(track.name):
            called = next((names[f] for f in track.feeds if names.get(f)), "")
            cure = _cure(f"call it {called}", "rename", track=track.id, name=called) if called else None
            yield _look(f"name:{track.id}", track.key, f"“{track.name}” says nothing a month from now", cure)
    seen: dict[str, PatchTrack] = {}
    for track in patch.tracks:
        if (other := seen.setdefault(track.name.lower(), track)) is not track:
            yield _look(f"same:{track.id}", track.key, f"Two tracks are called {other.name}",
                        _cure(f"call one {track.name} 2", "rename", track=track.id, name=f"{track.name} 2"))


def _twice(patch: Patch, profile: Profile) -> Iterator[Finding]:
    fed: dict[str, list[PatchTrack]] = defaultdict(list)
    for track in patch.tracks:
        for feed in dict.fromkeys(track.feeds):
            if kind_of(feed) == SOCKET:
                fed[feed].append(track)
    for feed, tracks in fed.items():
        if len(tracks) > 1:
            last = tracks[-1]
            text = f"Socket {name_of(feed)} feeds {len(tracks)} tracks: {', '.join(t.name for t in tracks)}"
            yield _look(f"twice:{feed}:{last.id}", feed, text,
                        _cure(f"take it off {last.name}", "feed", track=last.id, side=last.feeds.index(feed), feed=""))


def _powered(patch: Patch, profile: Profile) -> Iterator[Finding]:
    feeding = {f for t in patch.tracks for f in t.feeds}
    for row in patch.inputs:
        if row.socket > profile.inputs or socket_end(row.socket) not in feeding:
            continue
        socket, end = profile.socket(row.socket), socket_end(row.socket)
        what = f"Socket {row.socket} {row.name}".strip()
        if row.pickup == "condenser" and not row.phantom:
            if socket.has("phantom"):
                yield _look(f"power:{row.socket}", end, f"{what}: a condenser without 48 V is silent",
                            _cure("switch 48 V on", "switch", socket=row.socket, switch="phantom", on="true"))
            else:
                text = f"{what}: a condenser needs 48 V, which this socket lacks"
                yield _look(f"power:{row.socket}", end, text)
        elif row.pickup == "ribbon" and row.phantom:
            yield _look(f"ribbon:{row.socket}", end, f"{what}: 48 V can destroy a ribbon",
                        _cure("switch 48 V off", "switch", socket=row.socket, switch="phantom", on="false"))


def _unused(patch: Patch, profile: Profile) -> Iterator[Finding]:
    for socket, name in _free_sockets(patch, profile).items():
        text = f"Socket {socket} {name} feeds no track"
        end = socket_end(socket)
        yield _look(f"free:{socket}", end, text, _cure("make a track", "track_from", feed=end))


def _ways(patch: Patch, profile: Profile) -> Iterator[Finding]:
    main = patch.main()
    leading = {start for start, _ in patch.routes}
    fed = {target for _, target in patch.routes}
    feeding = {end_of(f) for t in patch.tracks for f in t.feeds}
    ends: list[PatchTrack | PatchGroup] = [*patch.tracks, *patch.groups]
    for end in ends:
        from_group = isinstance(end, PatchTrack) and any(kind_of(f) == GROUP for f in end.feeds)
        if isinstance(end, PatchTrack) and _written(end):
            continue
        if end.key not in leading and end.key not in feeding and not from_group:
            target = main.key if main else ""
            cure = _cure("send it to the main mix", "route", start=end.key, target=target, on="true")
            yield _look(f"way:{end.key}", end.key, f"{end.name} leads nowhere", cure)
    for group in patch.groups:
        if group.key not in fed:
            yield _look(f"empty:{group.key}", group.key, f"No track goes into {group.name}",
                        _cure("remove it", "remove_group", group=group.id))


def _mixes(patch: Patch, profile: Profile) -> Iterator[Finding]:
    taken = {o for m in patch.mixes for o in m.outputs}
    for mix in patch.mixes:
        if not mix.outputs or any(o > profile.outputs for o in mix.outputs):
            free = next((o for o in range(1, profile.outputs, 2) if not {o, o + 1} & taken), None)
            cure = _cure(f"use {free}+{free + 1}", "outputs", mix=mix.id, first=free) if free else None
            yield _look(f"out:{mix.id}", mix.key, f"{mix.name} has no output", cure)


def _good(patch: Patch, found: list[Finding]) -> Iterator[Finding]:
    kinds = {f.key.partition(":")[0] for f in found}
    if patch.tracks and not kinds & {"unfed", "gone"}:
        yield Finding("good", "Every track has a feed")
    if patch.tracks and not kinds & {"name", "same"}:
        yield Finding("good", "Every track can be told by its name")
    yield Finding("good", "No loops")


def _free_sockets(patch: Patch, profile: Profile) -> dict[int, str]:
    """Sockets with something plugged in that feed no track, with its name."""
    feeding = {f for t in patch.tracks for f in t.feeds}
    return {
        i.socket: i.name for i in patch.inputs
        if i.used and i.socket <= profile.inputs and socket_end(i.socket) not in feeding
    }

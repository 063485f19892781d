"""What in the mixes for ears needs a look: rows that nobody hears, players who do not hear themselves, or too late."""

from collections.abc import Collection, Iterator

from cattailer.core.findings import Cure, Finding
from cattailer.core.gear.ladder import FELT_MS
from cattailer.core.mix.listening import OFF
from cattailer.core.patch.patch import Patch, PatchMix, PatchTrack


def check(
    patch: Patch, through_ms: float, reached: dict[str, set[str]], limited: Collection[int] = (),
    leaked: Collection[tuple[int, int, float]] = (),
) -> list[Finding]:
    """``reached`` are the mixes with outputs that each track gets to, by their keys; ``limited`` those whose limiter
    works most of the time, by their ids; ``leaked`` the takes in which the click is heard: (track, take's
    number, dBFS)."""
    out = [
        *_leaked(patch, leaked), *_twice(patch), *_own(patch, reached), *_late(patch, through_ms, reached),
        *_limited(patch, limited),
        *_nowhere(patch, reached),
    ]
    return out or [Finding("good", "Every row is heard, and nobody hears themselves too late")]


def _twice(patch: Patch) -> Iterator[Finding]:
    """A row that a mix has itself and by way of a group: heard twice, and hollow where one of them is Direct."""
    muted = {c.route for c in patch.cells if c.muted}
    groups = {g.key: g.name for g in patch.groups}
    into: dict[str, set[str]] = {}
    grouped: dict[str, list[str]] = {}
    for start, target in patch.routes:
        if (start, target) not in muted:
            into.setdefault(target, set()).add(start)
            if target in groups:
                grouped.setdefault(start, []).append(target)
    among = [t for t in patch.tracks if t.key in grouped]
    for mix in patch.mixes:
        gets = into.get(mix.key, set())
        for track in among:
            by = next((g for g in grouped[track.key] if g in gets), None)
            if track.key in gets and by is not None:
                cure = Cure("keep it in the group", "once", (("track", str(track.id)), ("mix", str(mix.id))))
                yield Finding("look", f"{track.name} is heard twice in {mix.name}: itself and by way of {groups[by]}",
                              f"twice:{track.id}:{mix.id}", track.key, cure)


def _own(patch: Patch, reached: dict[str, set[str]]) -> Iterator[Finding]:
    muted = {c.route for c in patch.cells if c.muted}
    tracks = {t.id: t for t in patch.tracks}
    for mix in _ears(patch):
        for track in (tracks[t] for t in mix.own if t in tracks):
            if mix.key not in reached.get(track.key, set()) or (track.key, mix.key) in muted:
                cure = Cure("let it in", "own", (("track", str(track.id)), ("mix", str(mix.id))))
                yield Finding("look", f"{mix.name} is without {track.name}, its player's own sound",
                              f"own:{mix.id}:{track.id}", track.key, cure)
            elif track.listen.when == OFF:
                cure = Cure("listen Auto", "auto", (("track", str(track.id)),))
                yield Finding("look", f"{track.name} is not heard live, so its player hears nothing of it",
                              f"off:{track.id}", track.key, cure)


def _late(patch: Patch, through_ms: float, reached: dict[str, set[str]]) -> Iterator[Finding]:
    own = {t for mix in _ears(patch) for t in mix.own}
    late = [t.name for t in patch.tracks if t.id in own and t.listen.when != OFF and reached.get(t.key)]
    if late and through_ms > FELT_MS:
        hear = "hear" if len(late) > 1 else "hears"
        text = f"{_some(late)} {hear} themselves {through_ms:.1f} ms late. A smaller buffer in Timing helps"
        yield Finding("look", text, "late")


def _limited(patch: Patch, limited: Collection[int]) -> Iterator[Finding]:
    for mix in patch.mixes:
        if mix.id in limited:
            text = f"The limiter of {mix.name} works all the time: turn the mix down, or let it pass more"
            yield Finding("look", text, f"limited:{mix.id}")


def _leaked(patch: Patch, leaked: Collection[tuple[int, int, float]]) -> Iterator[Finding]:
    tracks = {t.id: t for t in patch.tracks}
    for track_id, number, peak_dbfs in sorted(leaked, key=lambda found: -found[2]):
        if track_id not in tracks:
            continue
        track = tracks[track_id]
        worn = next((m.name for m in _ears(patch) if track_id in m.own), "the headphones nearby")
        level = f"{peak_dbfs:.0f}".replace("-", "−")
        text = (f"The click leaks into {track.name}, take {number}, with peaks of {level} dBFS. Turn it down in "
                f"{worn}, or take closed headphones")
        yield Finding("look", text, f"leaks:{track_id}:{number}", track.key)


def _nowhere(patch: Patch, reached: dict[str, set[str]]) -> Iterator[Finding]:
    deaf: list[PatchTrack] = [t for t in patch.tracks if any(t.feeds) and not reached.get(t.key)]
    if deaf:
        are = "are" if len(deaf) > 1 else "is"
        text = f"{_some([t.name for t in deaf])} {are} heard in no mix that has outputs"
        yield Finding("look", text, "nowhere", deaf[0].key)


def _ears(patch: Patch) -> list[PatchMix]:
    return [m for m in patch.mixes if m.kind == "cue" and m.outputs]


def _some(names: list[str]) -> str:
    if len(names) <= 2:
        return " and ".join(names)
    return f"{names[0]}, {names[1]} and {len(names) - 2} more"

"""The header of a run: what will be captured, under which names. Made here for the page and the terminal alike."""

import uuid
from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from datetime import datetime

from cattailer.core.naming import DEFAULT_PATTERN, distinct, file_stem
from cattailer.core.plan import Plan
from cattailer.media.journal import RunFile, RunHeader

SOCKET = "socket "


@dataclass(frozen=True)
class Named:
    """How files are called: the session's pattern and its code."""

    pattern: str = DEFAULT_PATTERN
    code: str = ""


@dataclass(frozen=True)
class Played:
    """Who plays on a track, and through how much gain: what sound checks are later compared with. ``feed`` says in
    words what feeds it, ``preamp`` how its preamp is set."""

    feed: str = ""
    source: str = ""
    gain_db: float | None = None
    preamp: str = ""


def header(
    plan: Plan, number: int, tracks: Collection[int], began_at: datetime, named: Named = Named(),
    played: Mapping[int, Played] | None = None,
) -> RunHeader:
    """For a run that captures ``tracks`` (ids) of a plan; ``played`` is by track."""
    chosen = [t for t in plan.tracks if t.id in tracks]
    by = {t.id: (played or {}).get(t.id, Played()) for t in chosen}
    tokens = {
        "session": plan.title, "code": named.code or plan.title, "run": f"{number:02}",
        "date": began_at.date().isoformat(),
    }
    stems = distinct([file_stem(named.pattern, track=t.name, socket=by[t.id].feed, **tokens) for t in chosen])
    return RunHeader(
        str(uuid.uuid4()), number, plan.session, plan.title, plan.rate_hz, plan.bits, 0,
        began_at.isoformat(timespec="seconds"),
        tuple(
            RunFile(
                t.id, t.name, f"{stem}.wav", len(t.inputs), t.inputs, by[t.id].source, by[t.id].gain_db,
                _fed(by[t.id].feed), t.prints and bool(t.effects), by[t.id].preamp,
            )
            for t, stem in zip(chosen, stems, strict=True)
        ),
    )


def following(before: RunHeader, number: int, began_at: datetime, named: Named = Named()) -> RunHeader:
    """The header of the next pass, on the same tracks; where it begins is still that of the one before."""
    tokens = {
        "session": before.title, "code": named.code or before.title, "run": f"{number:02}",
        "date": began_at.date().isoformat(),
    }
    stems = distinct([
        file_stem(named.pattern, track=f.name, socket=f.feed.removeprefix(SOCKET), **tokens) for f in before.files
    ])
    return replace(
        before, run=str(uuid.uuid4()), number=number, began_at=began_at.isoformat(timespec="seconds"),
        roll=before.roll or before.run, pass_number=before.pass_number + 1,
        files=tuple(replace(f, path=f"{stem}.wav") for f, stem in zip(before.files, stems, strict=True)),
    )


def _fed(feed: str) -> str:
    return f"{SOCKET}{feed}" if feed.replace("+", "").replace(" ", "").isdecimal() else feed

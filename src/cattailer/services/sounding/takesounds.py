"""Everything there is of a take: its own file, what was counted in before it, and what came right after it."""

from collections.abc import Collection, Iterable
from dataclasses import dataclass, field
from pathlib import Path

from sqlalchemy import and_, or_, orm, select
from sqlalchemy.orm import aliased

from cattailer.core.comps.sounding import Stretch, TakeSound
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.places import folder_of
from cattailer.store.models import Media, Run, Session, Take

AT_ONCE = 4000
"""So many takes are looked up in one query: PostgreSQL takes 65,535 values, and a take is asked about by several."""

File = tuple[str, int]
"""Path and samples, at the session's rate."""


@dataclass
class LiveTakeSounds:
    """What was found of takes at a revision of theirs and a rate; None where one cannot be heard."""

    of: tuple[int, int]
    found: dict[int, TakeSound | None] = field(default_factory=dict)


def take_sounds(desk: Desk, session: Session, takes: Collection[int]) -> dict[int, TakeSound]:
    """Those that can be heard at the session's rate and are not in the bin. Looked up once, until takes change."""
    of = session.spans_revision, session.rate_hz
    live = desk.live.find(session.id, LiveTakeSounds)
    if live is None or live.of != of:
        live = LiveTakeSounds(of)
        desk.live.put(session.id, live)
    unknown = [take for take in takes if take not in live.found]
    for first in range(0, len(unknown), AT_ONCE):
        some = unknown[first : first + AT_ONCE]
        live.found.update({**dict.fromkeys(some), **_look_up(desk, session, some)})
    return {take: sound for take in takes if (sound := live.found[take]) is not None}


def _look_up(desk: Desk, session: Session, takes: Collection[int]) -> dict[int, TakeSound]:
    db = orm.object_session(session)
    assert db is not None
    folder = folder_of(desk, session)
    rows = list(db.execute(
        select(Take.id, Take.track_id, Take.media_id, Take.lead_in_id, Take.lead_out_id, Take.printed, Run.roll,
               Run.pass_number, Run.goes_on)
        .join(Run, Run.id == Take.run_id)
        .where(Take.id.in_(takes), ~Take.binned, Run.session_id == session.id)
    ))
    beside = _beside(db, [(row.roll, row.track_id, row.pass_number) for row in rows])
    wanted = {m for row in rows for m in (row.media_id, row.lead_in_id, row.lead_out_id) if m is not None}
    wanted |= {media for media, _ in beside.values()}
    files = _files(db, session, wanted)
    out = {}
    for row in rows:
        own = files.get(row.media_id)
        if own is None:
            continue
        before, after = files.get(row.lead_in_id), files.get(row.lead_out_id)
        if before is None and row.goes_on:
            before = _file(files, beside.get((row.roll, row.track_id, row.pass_number - 1)))
        following = beside.get((row.roll, row.track_id, row.pass_number + 1))
        if after is None and following is not None and following[1]:
            after = _file(files, following)
        out[row.id] = TakeSound(row.id, tuple(_stretches(folder, before, own, after)), row.printed)
    return out


def _file(files: dict[int, File], found: tuple[int, bool] | None) -> File | None:
    return None if found is None else files.get(found[0])


def _stretches(folder: Path, before: File | None, own: File, after: File | None) -> Iterable[Stretch]:
    if before is not None and before[1]:
        yield Stretch(-before[1], 0, str(folder / before[0]), 0)
    yield Stretch(0, own[1], str(folder / own[0]), 0)
    if after is not None and after[1]:
        yield Stretch(own[1], own[1] + after[1], str(folder / after[0]), 0)


def _beside(
    db: orm.Session, takes: Collection[tuple[str, int, int]]
) -> dict[tuple[str, int, int], tuple[int, bool]]:
    """By roll, track and pass: the files of the passes before and after, and whether each goes on from the one before
    it. One that went on elsewhere, when its disk failed, counts with what it got there."""
    passes = {(roll, track): set[int]() for roll, track, _ in takes if roll}
    for roll, track, number in takes:
        if roll:
            passes[roll, track] |= {number - 1, number + 1}
    if not passes:
        return {}
    query = select(Run.roll, Take.track_id, Run.pass_number, Take.media_id, Run.goes_on).join(Take.run).where(
        or_(*(
            and_(Run.roll == roll, Take.track_id == track, Run.pass_number.in_(numbers))
            for (roll, track), numbers in passes.items()
        ))
    )
    return {
        (roll, track, number): (media, goes_on)
        for roll, track, number, media, goes_on in db.execute(query.order_by(Run.number))
    }


def _files(db: orm.Session, session: Session, media: Collection[int]) -> dict[int, File]:
    """By the id of what was captured: its file at the session's rate, where there is one."""
    rate, fit = session.rate_hz, aliased(Media)
    query = (
        select(Media.id, Media.rate_hz, Media.path, Media.samples, fit.path, fit.samples)
        .outerjoin(fit, (fit.original_id == Media.id) & (fit.rate_hz == rate))
        .where(Media.id.in_(media))
    )
    out: dict[int, File] = {}
    for number, own_rate, path, samples, fit_path, fit_samples in db.execute(query):
        if own_rate == rate:
            out[number] = path, samples
        elif fit_path is not None:
            out[number] = fit_path, fit_samples
    return out

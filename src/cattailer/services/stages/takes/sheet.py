"""The comp sheet: phrases across, takes down, for a track and those that are cut together with it."""

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import func, orm, select
from sqlalchemy.orm import selectinload

from cattailer.core.comps.cells import shares
from cattailer.core.comps.comppiece import CompPiece
from cattailer.core.comps.crossing import Meets
from cattailer.core.comps.sounding import TakeSound, crossing
from cattailer.core.gear.rates import rescaled
from cattailer.core.takes.marks import MISHAP, NOTE
from cattailer.core.time import ruler as rulers
from cattailer.core.time.timeline import clock_text
from cattailer.core.units import milliseconds
from cattailer.services.desk.desk import Desk
from cattailer.services.running import frame
from cattailer.services.running.frame import Frame
from cattailer.services.session import comping
from cattailer.services.session.reading import load
from cattailer.services.session.rows import take_counts, tempo_of
from cattailer.services.sounding.comps import pieces_in_use
from cattailer.services.sounding.meetings import meets_of
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.services.stages.takes.phrasing import phrases_of, stretch_of, words_of
from cattailer.store.comps import CellMark
from cattailer.store.kept import Mark
from cattailer.store.models import Run, Session, Take, Track

LISTED = 12
"""So many takes are on the sheet; the rest is a press away."""


@dataclass(frozen=True)
class PhraseHead:
    """``first`` and ``last`` as they are typed, ``where`` in words."""

    id: int
    name: str
    first: str
    last: str
    where: str
    start: int
    stop: int


@dataclass(frozen=True)
class SheetCell:
    """``heard`` as ``core.comps.cells`` says it; ``marks`` are what was noted there while it was captured."""

    phrase: int
    sounds: bool
    heard: str
    rating: str
    note: str
    marks: str


@dataclass(frozen=True)
class SheetRow:
    take: int
    run: int
    number: int
    pass_number: int
    rating: str
    peak_dbfs: float
    clips: int
    dropouts: int
    cells: list[SheetCell]
    label: str


@dataclass(frozen=True)
class Seam:
    """Where two pieces meet, at the timeline sample ``at``."""

    at: int
    where: str
    takes: tuple[int, int]
    length_ms: float
    shape: str


@dataclass(frozen=True)
class SheetPage:
    """``tracks`` are (id, name) of those with takes; ``with_it`` are (id, name) of those cut together with the shown
    one. ``comps`` are (id, name), ``used`` is the id of the one in use, 0 for the newest on top. ``missing`` says in
    words which takes of the comp in use are not there."""

    frame: Frame
    tracks: list[tuple[int, str]]
    track: int
    name: str
    with_it: list[tuple[int, str]]
    phrases: list[PhraseHead]
    rows: list[SheetRow]
    folded: list[tuple[int, int]]
    older: int
    comps: list[tuple[int, str]]
    used: int
    before: str
    seams: list[Seam]
    missing: str
    hearing: tuple[int, int]
    start: int
    stop: int


def show(desk: Desk, session_id: int, track_id: int = 0, every: bool = False) -> SheetPage:
    """The sheet of a track, the first with takes where none is named. Raises NotFound."""
    state = desk.engine_state()
    with desk.database.transaction() as db:
        session = load(db, session_id)
        counts = take_counts(session)
        tracks = [(t.id, t.name) for t in session.tracks if counts.get(t.id)]
        track = next((t for t in session.tracks if t.id == track_id), None)
        track = track or next((t for t in session.tracks if tracks and t.id == tracks[0][0]), None)
        shown = frame.describe(desk, session, state)
        if track is None:
            return SheetPage(shown, [], 0, "", [], [], [], [], 0, [], 0, "", [], "", (0, 0), 0, 0)
        return _page(desk, db, session, shown, tracks, track, every)


def _page(
    desk: Desk, db: orm.Session, session: Session, shown: Frame, tracks: list[tuple[int, str]], track: Track,
    every: bool,
) -> SheetPage:
    of_track = Take.track_id == track.id, ~Take.binned
    query = select(Take).join(Run).where(*of_track, ~Run.folded).options(selectinload(Take.run))
    listed = list(db.scalars(query.order_by(Run.number.desc()).limit(None if every else LISTED)))
    count = db.scalar(select(func.count()).select_from(Take).join(Run).where(*of_track, ~Run.folded)) or 0
    folded = db.execute(select(Run.id, Run.number).join(Take).where(*of_track, Run.folded).order_by(Run.number.desc()))
    stretches = [(p, stretch_of(p, session)) for p in phrases_of(db, session)]
    pieces = pieces_in_use(session, track.id)
    sounds = take_sounds(desk, session, {*(t.id for t in listed), *(p.take for p in pieces)})
    marks, noted = _marks(db, listed), _noted(db, session, listed)
    tempo = tempo_of(session)
    heads = [
        PhraseHead(p.id, p.name, *(ends := words_of(p, session, tempo)), where(*ends, session.ruler), *stretch)
        for p, stretch in stretches
    ]
    heard = [(p.take, p.start, p.stop) for p in pieces]
    used = [shares((h.start, h.stop), heard) for h in heads]
    rows = [_row(session, t, heads, used, sounds, marks, noted) for t in listed]
    comps = comping.names_of(db, track)
    names = dict(comps)
    numbers = comping.numbers_of(session, {p.take for p in pieces})
    gone = sorted({p.take for p in pieces} - set(sounds))
    return SheetPage(
        shown, tracks, track.id, track.name, [(t.id, t.name) for t in comping.tracks_with(session, track)[1:]], heads,
        rows, [(run, number) for run, number in folded], count - len(listed), comps,
        track.comp_id if track.comp_id in names else 0, names.get(track.comp_before or 0, ""),
        _seams(session, pieces, sounds, meets_of(desk, session), numbers), _missing(gone, numbers),
        _hearing(session, track), heads[0].start if heads else 0, heads[-1].stop if heads else 0,
    )


def where(first: str, last: str, ruler: str) -> str:
    word = "bar " if ruler == rulers.BARS and first.isdecimal() else ""
    return f"{word}{first}" if first == last else f"{word}{first}–{last}"


def _row(
    session: Session, take: Take, heads: list[PhraseHead], used: list[dict[int, str]], sounds: dict[int, TakeSound],
    marks: dict[tuple[int, int], CellMark], noted: dict[str, list[tuple[int, str]]],
) -> SheetRow:
    rate = take.media.rate_hz
    begins = rescaled(take.start, rate, session.rate_hz)
    ends = begins + rescaled(take.samples, rate, session.rate_hz)
    cells = []
    for head, shared in zip(heads, used, strict=True):
        mark = marks.get((take.id, head.id))
        said = [words for at, words in noted.get(take.run.uuid, []) if head.start <= at < head.stop]
        cells.append(SheetCell(
            head.id, take.id in sounds and begins < head.stop and ends > head.start, shared.get(take.id, ""),
            mark.rating if mark else "", mark.note if mark else "", "; ".join(said),
        ))
    return SheetRow(
        take.id, take.run_id, take.number, take.run.pass_number, take.run.rating, take.peak_dbfs, take.clips,
        len(take.run.dropouts), cells, clock_text(begins, session.rate_hz),
    )


def _marks(db: orm.Session, takes: list[Take]) -> dict[tuple[int, int], CellMark]:
    query = select(CellMark).where(CellMark.take_id.in_([t.id for t in takes]))
    return {(m.take_id, m.phrase): m for m in db.scalars(query)}


def _noted(db: orm.Session, session: Session, takes: list[Take]) -> dict[str, list[tuple[int, str]]]:
    """By run: where something was noted while it was captured, and what."""
    query = select(Mark).where(
        Mark.session_id == session.id, Mark.run.in_([t.run.uuid for t in takes]), Mark.kind.in_((NOTE, MISHAP))
    )
    out: dict[str, list[tuple[int, str]]] = {}
    for mark in db.scalars(query):
        words = mark.text or mark.kind
        out.setdefault(mark.run, []).append((rescaled(mark.at, mark.rate_hz, session.rate_hz), words))
    return out


def _seams(
    session: Session, pieces: Sequence[CompPiece], sounds: dict[int, TakeSound], meets: Meets, numbers: dict[int, int]
) -> list[Seam]:
    out, tempo = [], tempo_of(session)
    last: dict[int, CompPiece] = {}
    for after in pieces:
        before, last[after.layer] = last.get(after.layer), after
        if before is None or before.stop != after.start or (before.goes_on_in(after) and after.seam is None):
            continue
        crossed = crossing(before, after, sounds, session.rate_hz, meets)
        lasts = crossed.stop - crossed.start if crossed else 0
        out.append(Seam(
            after.start, rulers.words(after.start, tempo, session.ruler),
            (numbers.get(before.take, 0), numbers.get(after.take, 0)), milliseconds(lasts, session.rate_hz),
            crossed.shape if crossed else "",
        ))
    return out


def cell_mark(db: orm.Session, take: int, phrase: int) -> CellMark | None:
    return db.scalar(select(CellMark).where(CellMark.take_id == take, CellMark.phrase == phrase))


def noted_in(db: orm.Session, session: Session, run: str, start: int, stop: int) -> str:
    """What was noted in [start, stop) while a run was captured."""
    query = select(Mark).where(Mark.session_id == session.id, Mark.run == run, Mark.kind.in_((NOTE, MISHAP)))
    found = [(rescaled(m.at, m.rate_hz, session.rate_hz), m.text or m.kind) for m in db.scalars(query)]
    return "; ".join(words for at, words in sorted(found) if start <= at < stop)


def _missing(gone: list[int], numbers: dict[int, int]) -> str:
    if not gone:
        return ""
    named = [f"take {numbers[t]}" for t in gone if t in numbers]
    rest = len(gone) - len(named)
    parts = [*named, *([f"{rest} in the bin or deleted"] if rest else [])]
    return f"Silent in this comp: {', '.join(parts)}. Its files are not there at this rate, or the bin has them."


def _hearing(session: Session, track: Track) -> tuple[int, int]:
    """Take and phrase that are tried in the mix, (0, 0) for none."""
    tried = session.hearing.get(str(track.id))
    return (tried["take"], tried["phrase"]) if tried else (0, 0)

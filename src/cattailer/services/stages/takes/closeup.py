"""What is known of one cell of the sheet."""

from dataclasses import dataclass
from pathlib import Path

from cattailer.core.comps.cells import shares
from cattailer.core.gear.rates import rescaled
from cattailer.core.units import decibels
from cattailer.media import overview
from cattailer.services.desk.desk import Desk
from cattailer.services.session.reading import get_session, get_take
from cattailer.services.session.rows import tempo_of
from cattailer.services.sounding.comps import pieces_in_use
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.services.stages.takes.phrasing import get_phrase, stretch_of, words_of
from cattailer.services.stages.takes.sheet import cell_mark, noted_in, where

SILENT_DBFS = -120.0


@dataclass(frozen=True)
class CellFacts:
    """``from_s`` and ``until_s`` are where the phrase lies in the take's own file; ``first`` and ``last`` are the
    phrase's ends as they are typed."""

    take: int
    phrase: int
    number: int
    name: str
    facts: str
    sounds: bool
    heard: str
    tried: bool
    rating: str
    note: str
    marks: str
    from_s: float
    until_s: float
    first: str
    last: str


def of_cell(desk: Desk, session_id: int, take_id: int, phrase_id: int) -> CellFacts:
    """Raises NotFound."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        take, phrase = get_take(db, session_id, take_id), get_phrase(db, session_id, phrase_id)
        start, stop = stretch_of(phrase, session)
        begins = rescaled(take.start, take.media.rate_hz, session.rate_hz)
        sound = take_sounds(desk, session, [take.id]).get(take.id)
        own = sound.own if sound else None
        first, last = max(start, begins), min(stop, begins + own.stop if own else begins)
        pieces = pieces_in_use(session, take.track.id)
        heard = shares((start, stop), [(p.take, p.start, p.stop) for p in pieces]).get(take.id, "")
        mark, tempo = cell_mark(db, take.id, phrase.id), tempo_of(session)
        typed = words_of(phrase, session, tempo)
        tried = session.hearing.get(str(take.track_id), {})
        sounds = own is not None and first < last
        facts = [f"pass {take.run.pass_number}"] if take.run.pass_number > 1 else []
        if own is not None and sounds:
            peak = _peak_dbfs(Path(own.path), own.offset + first - begins, own.offset + last - begins)
            facts.append(f"peak {peak:.1f} dBFS".replace("-", "−") if peak > SILENT_DBFS else "silent here")
            clips = sum(first - begins <= rescaled(c, take.media.rate_hz, session.rate_hz) < last - begins
                        for c in take.clips_at)
            if clips:
                facts.append(f"clips {clips} times" if clips > 1 else "clips once")
            drops = sum(
                start <= rescaled(take.run.start + d[0], take.run.rate_hz, session.rate_hz) < stop
                for d in take.run.dropouts
            )
            if drops:
                facts.append(f"{drops} dropouts" if drops > 1 else "a dropout")
        else:
            facts.append("no sound here")
        return CellFacts(
            take.id, phrase.id, take.number, phrase.name or where(*typed, session.ruler), " · ".join(facts), sounds,
            heard, (tried.get("take"), tried.get("phrase")) == (take.id, phrase.id), mark.rating if mark else "",
            mark.note if mark else "", noted_in(db, session, take.run.uuid, start, stop),
            max(0, first - begins) / session.rate_hz, max(0, last - begins) / session.rate_hz, *typed,
        )


def _peak_dbfs(path: Path, start: int, stop: int) -> float:
    found = overview.of_wave(path)
    if found is None:
        return SILENT_DBFS
    low, high = overview.window(found, start, stop, 1)[0]
    return decibels(max(-int(low), int(high)) / 32767.0)

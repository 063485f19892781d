"""The phrases of a session: laid out, drawn, named, split, joined and moved."""

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

import numpy as np
from sqlalchemy import orm, select

from cattailer.core.comps import phrases
from cattailer.core.comps.phrases import BARS, MARKERS, SILENCES, WAYS, Stretch
from cattailer.core.errors import NotFound, NotNow, Refusal
from cattailer.core.gear.rates import rescaled
from cattailer.core.naming import MAX_NAME, clean_name
from cattailer.core.takes.marks import MARKER
from cattailer.core.time import ruler as rulers
from cattailer.core.time.place import Place
from cattailer.core.time.timeline import TempoMap
from cattailer.media import overview
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import Edit, editing
from cattailer.services.session.rate import phrase_ends
from cattailer.services.session.rows import tempo_of
from cattailer.services.sounding.ontop import spans_of
from cattailer.services.sounding.pieces import span_of_takes
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.store.comps import Phrase
from cattailer.store.kept import Mark
from cattailer.store.models import Session


def phrases_of(db: orm.Session, session: Session) -> list[Phrase]:
    """In the order of the music; their ends at the session's rate."""
    found = list(db.scalars(select(Phrase).where(Phrase.session_id == session.id)))
    return sorted(found, key=lambda p: stretch_of(p, session))


def stretch_of(phrase: Phrase, session: Session) -> Stretch:
    return (
        rescaled(phrase.start, phrase.rate_hz, session.rate_hz), rescaled(phrase.stop, phrase.rate_hz, session.rate_hz)
    )


def words_of(phrase: Phrase, session: Session, tempo: TempoMap) -> tuple[str, str]:
    """Both ends as they were typed, or as the ruler counts where nobody typed them."""
    out: list[str] = []
    places, given = phrase_ends(phrase, tempo), phrase.given or ("", "")
    for until, (place, text, at) in enumerate(zip(places, given, stretch_of(phrase, session), strict=True)):
        if text and place == Place.from_text(text):
            out.append(place.words(tempo, session.ruler == rulers.BARS, bool(until)))
        else:
            out.append(rulers.words(at, tempo, session.ruler, bool(until)))
    return out[0], out[1]


def lay_out(desk: Desk, session_id: int, way: str, bars: int = 8, track_id: int = 0) -> None:
    """Phrases anew, over everything that was captured. Those of the same stretch as before keep their names and marks.
    Raises Refusal, NotNow."""
    with editing(desk, session_id) as edit:
        session, (first, last) = edit.session, span_of_takes(edit.session)
        if last <= 0:
            raise NotNow("Nothing was captured yet, so there is nothing to cut into phrases.")
        if way == BARS:
            made = phrases.every(tempo_of(session), bars, first, last)
        elif way == MARKERS:
            places = _markers(edit)
            if not places:
                raise NotNow("There is no marker yet. N sets one where the timeline is; nothing was changed.")
            made = phrases.between(places, first, last)
        elif way == SILENCES:
            made = _silences(desk, session, track_id)
            if not made:
                raise NotNow("There is no sound on this track between which silences could be found.")
        else:
            raise Refusal(f"Phrases come {', '.join(WAYS.values())}. Nothing was changed.")
        known = {stretch_of(p, session): p for p in phrases_of(edit.db, session)}
        for stretch, phrase in known.items():
            if stretch not in made:
                edit.db.delete(phrase)
        for stretch in made:
            if stretch not in known:
                # What was found by its sound stays at its time, even if a beat happens to be there.
                found = [Place(seconds=Fraction(at, session.rate_hz), lies=True) for at in stretch]
                _add(edit, stretch, typed=found if way == SILENCES else [])
        edit.what = f"{len(made)} phrases, {WAYS[way]}"


def draw(desk: Desk, session_id: int, first: str, last: str, name: str = "") -> None:
    """One by hand, between two places as people type them; others make room. Raises Refusal."""
    with editing(desk, session_id) as edit:
        tempo = tempo_of(edit.session)
        try:
            typed = rulers.read(first, tempo), rulers.read(last, tempo)
        except ValueError as why:
            said = str(why)
            raise Refusal(f"{said[0].upper()}{said[1:]}. The phrases stayed as they were.") from why
        new = typed[0].sample(tempo), typed[1].sample(tempo, until=True)
        if not 0 <= new[0] < new[1]:
            raise Refusal("A phrase goes from one place to a later one. The phrases stayed as they were.")
        old = phrases_of(edit.db, edit.session)
        kept = phrases.around([stretch_of(p, edit.session) for p in old], new)
        for phrase, stretch in zip(old, kept, strict=True):
            if stretch is None:
                edit.db.delete(phrase)
            elif stretch != stretch_of(phrase, edit.session):
                _set(phrase, edit.session, stretch, typed)
        _add(edit, new, _name(name), typed)
        edit.what = f"Phrase {typed[0].words(tempo)} drawn"


def rename(desk: Desk, session_id: int, phrase_id: int, name: str, was: str | None = None) -> None:
    with editing(desk, session_id) as edit:
        phrase = get_phrase(edit.db, session_id, phrase_id)
        edit.expect(phrase, "name", was, "This phrase")
        phrase.name = _name(name)
        edit.what = f"Phrase is called “{phrase.name}”" if phrase.name else "Phrase has no name"


def split(desk: Desk, session_id: int, phrase_id: int) -> None:
    """In two, at the playhead where that is inside, else at the beat in its middle."""
    position = desk.engine_state().position
    with editing(desk, session_id) as edit:
        session, phrase = edit.session, get_phrase(edit.db, session_id, phrase_id)
        start, stop = stretch_of(phrase, session)
        tempo = tempo_of(session)
        beats = [b.sample for b in tempo.beats_between(start + 1, stop)]
        bars = [b.sample for b in tempo.beats_between(start + 1, stop) if b.beat == 1]
        middle = min(bars or beats or [(start + stop) // 2], key=lambda s: abs(2 * s - start - stop))
        at = position if start < position < stop else middle
        if not start < at < stop:
            raise Refusal("This phrase is too short to be split.")
        typed = _typed(phrase)
        _set(phrase, session, (start, at))
        _add(edit, (at, stop), typed=typed)
        edit.what = f"Phrase split at {rulers.words(at, tempo, session.ruler)}"


def join(desk: Desk, session_id: int, phrase_id: int) -> None:
    """With the next one; marks of both stay with the first. Raises NotNow where none follows."""
    with editing(desk, session_id) as edit:
        phrase = get_phrase(edit.db, session_id, phrase_id)
        rows = phrases_of(edit.db, edit.session)
        number = rows.index(phrase)
        if number + 1 == len(rows):
            raise NotNow("This is the last phrase, so there is none to join it with.")
        after = rows[number + 1]
        both = stretch_of(phrase, edit.session)[0], stretch_of(after, edit.session)[1]
        _set(phrase, edit.session, both, _typed(after))
        phrase.name = " / ".join(filter(None, (phrase.name, after.name)))[:MAX_NAME]
        edit.db.delete(after)
        edit.what = "Two phrases joined"


def set_ends(desk: Desk, session_id: int, phrase_id: int, first: str, last: str) -> None:
    """Begins and ends elsewhere, as people type places; a neighbour that met it still does. Raises Refusal."""
    with editing(desk, session_id) as edit:
        session, phrase = edit.session, get_phrase(edit.db, session_id, phrase_id)
        tempo, rows = tempo_of(session), phrases_of(edit.db, edit.session)
        kept = phrase_ends(phrase, tempo)
        try:
            ends = zip((first, last), words_of(phrase, session, tempo), kept, strict=True)
            places = [rulers.reread(typed, shown, place, tempo) for typed, shown, place in ends]
        except ValueError as why:
            said = str(why)
            raise Refusal(f"{said[0].upper()}{said[1:]}. The phrase stayed as it was.") from why
        new = places[0].sample(tempo), places[1].sample(tempo, until=True)
        typed = [place for place, was in zip(places, kept, strict=True) if place is not was]
        number, old = rows.index(phrase), stretch_of(phrase, session)
        before = rows[number - 1] if number else None
        after = rows[number + 1] if number + 1 < len(rows) else None
        lowest = stretch_of(before, session)[0] + 1 if before else 0
        highest = stretch_of(after, session)[1] - 1 if after else new[1]
        if not lowest <= new[0] < new[1] <= highest:
            raise Refusal("A phrase stays between its neighbours and longer than nothing. It stayed as it was.")
        for other, end in ((before, 1), (after, 0)):
            if other is None:
                continue
            theirs = list(stretch_of(other, session))
            met = theirs[end] == old[1 - end]
            overlaps = theirs[1] > new[0] if end else theirs[0] < new[1]
            if met or overlaps:
                theirs[end] = new[1 - end]
                _set(other, session, (theirs[0], theirs[1]), typed)
        _set(phrase, session, new, typed)
        edit.what = f"Phrase moved to {places[0].words(tempo)}"


def remove(desk: Desk, session_id: int, phrase_id: int) -> None:
    with editing(desk, session_id) as edit:
        phrase = get_phrase(edit.db, session_id, phrase_id)
        edit.what = f"Phrase “{phrase.name}” taken away" if phrase.name else "A phrase taken away"
        edit.db.delete(phrase)


def get_phrase(db: orm.Session, session_id: int, phrase_id: int) -> Phrase:
    """Raises NotFound."""
    phrase = db.get(Phrase, phrase_id)
    if phrase is None or phrase.session_id != session_id:
        raise NotFound("That phrase is not here any more. Look at the sheet again; nothing was changed.")
    return phrase


def _name(name: str) -> str:
    """Empty where nothing was typed."""
    return clean_name(name, "phrase's name") if name.strip() else ""


def _add(edit: Edit, stretch: Stretch, name: str = "", typed: Sequence[Place] = ()) -> None:
    phrase = Phrase(session_id=edit.session.id, name=name, given=[])
    _set(phrase, edit.session, stretch, typed)
    edit.db.add(phrase)


def _set(phrase: Phrase, session: Session, stretch: Stretch, typed: Sequence[Place] = ()) -> None:
    """Each end as it was ``typed``, for this phrase or the one that it meets, where one of these is there; an end that
    stays is as it was."""
    tempo, given = tempo_of(session), []
    for until, (at, old) in enumerate(zip(stretch, phrase.given or ("", ""), strict=True)):
        places = [*typed, *([Place.from_text(old)] if old else [])]
        given.append(next((place.to_text() for place in places if place.sample(tempo, bool(until)) == at), ""))
    phrase.start, phrase.stop, phrase.rate_hz, phrase.given = *stretch, session.rate_hz, given


def _typed(phrase: Phrase) -> list[Place]:
    return [Place.from_text(text) for text in phrase.given if text]


def _markers(edit: Edit) -> list[int]:
    query = select(Mark.at, Mark.rate_hz).where(Mark.session_id == edit.session.id, Mark.kind == MARKER)
    return [rescaled(at, rate, edit.session.rate_hz) for at, rate in edit.db.execute(query)]


def _silences(desk: Desk, session: Session, track_id: int) -> list[Stretch]:
    spans = [s for s in spans_of(session, track_id).get(track_id, []) if s.offset == 0]
    newest = max(spans, key=lambda s: s.order, default=None)
    sound = take_sounds(desk, session, [newest.take]).get(newest.take) if newest else None
    found = overview.of_wave(Path(sound.own.path)) if sound else None
    if newest is None or found is None:
        return []
    peaks = np.abs(found.fine.astype(np.float64)).max(axis=(1, 2)) / 32767.0
    return phrases.by_silence(peaks, overview.BUCKET, session.rate_hz, newest.start)

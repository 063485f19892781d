"""Guide notes: held on the page's keyboard, or placed on the timeline."""

from collections.abc import Sequence
from dataclasses import dataclass

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.notes.guide import MOST_GUIDES, Guide, guides_of, name_of
from cattailer.engine.messages.commands import HoldKeys
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import editing
from cattailer.services.session.reading import load
from cattailer.services.session.rows import tempo_of

HOLD_S = 1.0
FIRST, LAST = 48, 72
"""What the page's keyboard shows: two octaves."""
_BLACK = {1, 3, 6, 8, 10}


@dataclass(frozen=True)
class Key:
    """``left`` is where it lies on the keyboard, in widths of a white key."""

    pitch: int
    name: str
    black: bool
    left: float


def keyboard() -> tuple[Key, ...]:
    out, white = [], 0
    for pitch in range(FIRST, LAST + 1):
        black = pitch % 12 in _BLACK
        out.append(Key(pitch, name_of(pitch), black, white - 0.3 if black else float(white)))
        white += not black
    return tuple(out)


def hold(desk: Desk, session_id: int, pitches: Sequence[int]) -> None:
    """Lets these keys sound, and none that did before. Raises Refusal."""
    desk.engine.ask(HoldKeys(session_id, list(pitches)), HOLD_S)


def placed(desk: Desk, session_id: int) -> tuple[Guide, ...]:
    """Those on the timeline, in its order."""
    with desk.database.transaction() as db:
        return guides_of(load(db, session_id).guides)


def place(desk: Desk, session_id: int, bar: int, beat: int, beats: float, pitches: Sequence[int]) -> None:
    with editing(desk, session_id) as edit:
        try:
            made = Guide(bar, beat, beats, tuple(sorted(set(pitches))))
        except ValueError as why:
            raise Refusal(f"That cannot be: {why}. Nothing was placed.") from why
        in_bar = tempo_of(edit.session).meter_of(bar).beats
        if beat > in_bar:
            raise Refusal(f"Bar {bar} has {in_bar} beats, so there is no beat {beat} in it. Nothing was placed.")
        kept = [g for g in guides_of(edit.session.guides) if (g.bar, g.beat) != (bar, beat)]
        if len(kept) >= MOST_GUIDES:
            raise NotNow(f"A session has at most {MOST_GUIDES} guide notes on its timeline; nothing was placed.")
        edit.what = f"Guide {made.words} at bar {bar}"
        edit.session.guides = [g.to_dict() for g in sorted([*kept, made], key=lambda g: (g.bar, g.beat))]


def remove(desk: Desk, session_id: int, bar: int, beat: int) -> None:
    with editing(desk, session_id) as edit:
        kept = [g for g in guides_of(edit.session.guides) if (g.bar, g.beat) != (bar, beat)]
        if len(kept) == len(edit.session.guides):
            raise Refusal("That guide note is not there any more, so nothing was changed.", 404)
        edit.what = f"Guide at bar {bar} taken away"
        edit.session.guides = [g.to_dict() for g in kept]

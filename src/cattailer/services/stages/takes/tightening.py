"""Notes of what is in use: found, shown as ticks, moved by hand, and tightened to the grid."""

import numpy as np

from cattailer.core.comps.laying import in_order, piece_of
from cattailer.core.comps.tightening import drift, tightened
from cattailer.core.errors import NotNow, Refusal
from cattailer.core.gear.rates import rescaled
from cattailer.core.sound.onsets import notes
from cattailer.core.takes.pieces import Piece
from cattailer.core.wording import counted
from cattailer.media.piecesound import PieceReader, heard_between
from cattailer.services.desk.desk import Desk
from cattailer.services.session import comping
from cattailer.services.session.editing import editing
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import tempo_of
from cattailer.services.stages.takes.piecesound import track_pieces
from cattailer.store.comps import Comp

STEP_S, OVER_S = 30, 1
MOST_TICKS = 20_000
NEAR_MS = 30.0
"""How close to a tick somebody must point to mean it."""


def find(desk: Desk, session_id: int, track_id: int) -> str:
    """Looks for the notes of what is in use, and keeps them as ticks. Returns words: how many there are, and whether
    others begin too softly to say where."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        pieces, rate = track_pieces(desk, session, track_id), session.rate_hz
    found, swells = notes_of(pieces, rate)
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        comp = comping.in_use(edit.db, edit.session, track)
        if len(found) > MOST_TICKS:
            raise Refusal(f"These are more than {MOST_TICKS:,} notes; none was kept. Cut the track into parts first.")
        comp.ticks = [*found, rate]
        edit.what = f"{counted(len(found), 'note')} found on {track.name}"
    if swells <= len(found):
        return f"{edit.what}."
    return f"{edit.what}. Others begin too softly to say where; put ticks in by hand, at the playhead (T)."


def notes_of(pieces: list[Piece], rate_hz: int) -> tuple[list[int], int]:
    """Timeline samples at which notes begin, and how often sound swelled without a beginning that could be told; read
    in steps, so that a long track takes no more memory than a short one."""
    if not pieces:
        return [], 0
    start, stop = min(p.start for p in pieces), max(p.start + p.samples for p in pieces)
    out, swells = list[int](), 0
    read, over = PieceReader(), OVER_S * rate_hz
    for at in range(start, stop, STEP_S * rate_hz):
        first, last = max(start, at - over), min(stop, at + STEP_S * rate_hz + over)
        sound = heard_between(pieces, first, last, 1, read)[0]
        inside = notes(np.asarray(sound), rate_hz)
        out += [int(n) + first for n in inside.at if at <= n + first < at + STEP_S * rate_hz]
        swells += inside.swells
    return out, swells


def set_tick(desk: Desk, session_id: int, track_id: int, at: int, to: int | None = None) -> None:
    """Moves the tick near ``at`` to another place; without one it is taken out, or put in where none is near."""
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        comp = comping.in_use(edit.db, edit.session, track)
        ticks = ticks_of(comp, edit.session.rate_hz)
        near = min(ticks, key=lambda t: abs(t - at), default=None)
        if near is not None and abs(near - at) > NEAR_MS * edit.session.rate_hz / 1000.0:
            near = None
        if to is not None and near is None:
            raise NotNow("There is no tick there any more: somebody moved it. Nothing was changed.")
        kept = [t for t in ticks if t != near]
        added = [] if near is not None and to is None else [at if to is None else to]
        comp.ticks = [*sorted({*kept, *added}), edit.session.rate_hz]
        did = "moved" if to is not None else "taken out" if near is not None else "put in"
        edit.what = f"{track.name}: a tick {did}"


def tighten(desk: Desk, session_id: int, track_id: int, division: int, strength: float, piece: int = 0) -> str:
    """Notes go to the grid, all of them or those of one piece, in a comp of its own, in use from then on, so that one
    key hears what was before; tracks that are cut together move together. Raises NotNow where no notes were found yet.
    Returns words."""
    with editing(desk, session_id) as edit:
        session, track = edit.session, edit.track(track_id)
        comp = comping.in_use(edit.db, session, track)
        ticks, tempo = ticks_of(comp, session.rate_hz), tempo_of(session)
        if not ticks:
            raise NotNow("No notes were found yet. Press “Find notes” first; nothing was moved.")
        chosen = piece_of(comping.pieces_at(comp, session), piece, 0) if piece else None
        within = (chosen.start, chosen.stop) if chosen else None
        if within is not None and not any(within[0] <= at < within[1] for at in ticks):
            raise NotNow("No note was found in this piece. Nothing was moved.")
        was = drift(ticks, tempo, division)
        for other in comping.tracks_with(session, track):
            old = comping.in_use(edit.db, session, other)
            pieces = comping.pieces_at(old, session)
            # Of this track it is the chosen piece alone, of the others whatever sounds with it.
            own = [p for p in pieces if chosen is None or other is not track or p.layer == chosen.layer]
            made_tight, moved = tightened(tuple(own), ticks, tempo, division, strength, within)
            pieces = in_order((*made_tight, *(p for p in pieces if p not in own)))
            name = f"{old.name.partition(', tight')[0]}, tight {strength * 100:.0f} %"
            made = comping.make(edit.db, session, other, comping.free_name(edit.db, other, name), pieces)
            made.ticks = [*moved, session.rate_hz] if other is track else []
            comping.use(other, made.id)
        edit.what = f"{track.name} tightened by {strength * 100:.0f} %"
        now = drift(ticks_of(edit.db.get_one(Comp, track.comp_id), session.rate_hz), tempo, division)
    return (
        f"{was.notes} notes: {was.median_ms:+.0f} ms and {was.scatter_ms:.0f} ms apart before, "
        f"{now.median_ms:+.0f} and {now.scatter_ms:.0f} now. Y hears what was before."
    ).replace("-", "−")


def ticks_of(comp: Comp, rate_hz: int) -> list[int]:
    """At a rate; the last number that is kept is the rate at which they are."""
    if len(comp.ticks) < 2:
        return []
    *ticks, rate = comp.ticks
    return [rescaled(t, rate, rate_hz) for t in ticks]


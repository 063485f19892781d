"""Edits of the pieces that are in use: on a track, and at the same samples on those that are cut together with it."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np

from cattailer.core.comps import laying, levelling, roomtone
from cattailer.core.comps.comppiece import CompPiece, Fade, Pieces
from cattailer.core.comps.snapping import OFF, ZERO, ZERO_REACH_S, at_zero, on_grid, step
from cattailer.core.comps.sounding import unfaded
from cattailer.core.errors import NothingThere, NotNow, Refusal
from cattailer.media import overview
from cattailer.media.piecesound import heard_between
from cattailer.services.desk.desk import Desk
from cattailer.services.session import comping
from cattailer.services.session.editing import Edit, editing
from cattailer.services.session.rows import tempo_of
from cattailer.services.sounding.comps import pieces_in_use
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.services.stages.takes.piecesound import track_pieces
from cattailer.services.stages.takes.seaming import shape_for
from cattailer.store.models import Track

MOST_SEAM_MS = 10_000.0
Change = Callable[[Edit, Track, Pieces, int], Pieces]
"""Gets the pieces of a track, and where the piece begins that is meant."""


def erase(desk: Desk, session_id: int, track_id: int, start: int, stop: int, snap: str = OFF) -> None:
    """Silence in [start, stop), in every layer."""
    def change(edit: Edit, track: Track, pieces: Pieces, start: int) -> Pieces:
        return laying.erase(pieces, *_lands(desk, edit, track_id, snap, start, stop))

    _edit(desk, session_id, track_id, "a stretch erased", change, start, layers=True)


def split(desk: Desk, session_id: int, track_id: int, at: int, snap: str = OFF) -> None:
    def change(edit: Edit, track: Track, pieces: Pieces, start: int) -> Pieces:
        return laying.split(pieces, *_lands(desk, edit, track_id, snap, start))

    _edit(desk, session_id, track_id, "a piece split", change, at, layers=True)


def take_away(desk: Desk, session_id: int, track_id: int, start: int, piece: int = 0) -> None:
    _edit(desk, session_id, track_id, "a piece taken away", lambda e, t, p, s: laying.take_away(p, s), start, piece)


def trim(
    desk: Desk, session_id: int, track_id: int, start: int, new_start: int, new_stop: int, snap: str = OFF,
    piece: int = 0,
) -> None:
    """The piece that begins at ``start`` begins and ends elsewhere; its sound stays where it is."""
    def change(edit: Edit, track: Track, pieces: Pieces, start: int) -> Pieces:
        old = pieces[laying.number_at(pieces, start)]
        sound = take_sounds(desk, edit.session, [old.take]).get(old.take)
        if sound is None:
            raise NotNow("The take of this piece is not there, so it cannot be drawn longer. Nothing was changed.")
        # Only the end that moved lands somewhere.
        first = new_start if new_start == old.start else _lands(desk, edit, track_id, snap, new_start)[0]
        last = new_stop if new_stop == old.stop else _lands(desk, edit, track_id, snap, new_stop)[0]
        return laying.trim(pieces, start, first, last, sound.reach)

    _edit(desk, session_id, track_id, "a piece trimmed", change, start, piece)


def move(desk: Desk, session_id: int, track_id: int, start: int, by: int, snap: str = OFF, piece: int = 0) -> None:
    def change(edit: Edit, track: Track, pieces: Pieces, start: int) -> Pieces:
        to = start + by if snap == ZERO else on_grid(start + by, snap, tempo_of(edit.session))
        return laying.move(pieces, start, to - start)

    _edit(desk, session_id, track_id, "a piece moved", change, start, piece)


def nudge(desk: Desk, session_id: int, track_id: int, start: int, count: int, unit: str, piece: int = 0) -> None:
    """By so many bars, beats, milliseconds or samples."""
    def change(edit: Edit, track: Track, pieces: Pieces, start: int) -> Pieces:
        return laying.move(pieces, start, step(start, count, unit, tempo_of(edit.session)))

    what = f"a piece nudged by {count:+d} {unit}".replace("-", "−")
    _edit(desk, session_id, track_id, what, change, start, piece)


def set_gain(desk: Desk, session_id: int, track_id: int, start: int, gain_db: float, piece: int = 0) -> None:
    """Of this track's piece alone: what microphones hear differs in level."""
    what = f"a piece at {gain_db:+.1f} dB".replace("-", "−")
    set_to: Change = lambda e, t, p, s: laying.with_gain(p, s, gain_db)  # noqa: E731
    _edit(desk, session_id, track_id, what, set_to, start, piece, alone=True)


def lay_room_tone(desk: Desk, session_id: int, track_id: int) -> None:
    """Fills the silence between pieces with the quietest stretch of the takes in use. Raises NotNow where nothing is
    silent, or no take has a quiet stretch."""
    def change(edit: Edit, track: Track, pieces: Pieces, start: int) -> Pieces:
        if not roomtone.is_silent_between(pieces):
            raise NotNow("There is no silence between the pieces, so no room tone is needed.")
        takes, rate = take_sounds(desk, edit.session, {p.take for p in pieces}), edit.session.rate_hz
        for take in takes.values():
            found = overview.of_wave(Path(take.own.path))
            peaks = None if found is None else np.abs(found.fine.astype(np.float64)).max(axis=(1, 2)) / 32767.0
            tone = None if peaks is None else roomtone.quietest(peaks, overview.BUCKET, rate)
            if tone is not None:
                return roomtone.filled(pieces, take.take, tone, rate)
        raise NotNow("No take of this track has a stretch that is quiet enough. Keep a few seconds of the empty room.")

    _edit(desk, session_id, track_id, "room tone laid between pieces", change, 0, layers=True)


def set_level(
    desk: Desk, session_id: int, track_id: int, start: int, aim: str, level: float, every: bool = False, key: int = 0
) -> str:
    """The gain that brings a piece to a peak or a loudness, or every piece of the track for itself. Returns what
    becomes of peak and noise, in words."""
    said: list[str] = []

    def change(edit: Edit, track: Track, pieces: Pieces, start: int) -> Pieces:
        chosen = pieces if every else (pieces[laying.number_at(pieces, start)],)
        takes = take_sounds(desk, edit.session, {p.take for p in chosen})
        rate, channels = edit.session.rate_hz, max(1, len(track.feeds))
        gains: dict[int, float] = {}
        for piece in chosen:
            bare = CompPiece(piece.take, piece.start, piece.samples, piece.offset)
            sound = heard_between(unfaded(bare, takes), piece.start, piece.stop, channels)
            gain, of = levelling.brought(aim, level, sound, rate)
            gains[piece.key] = gain
            said.append(f"{gain:+.1f} dB: {levelling.words(gain, of)}.".replace("-", "−"))
        return tuple(replace(p, gain_db=gains[p.key]) if p.key in gains else p for p in pieces)

    unit = "dBFS" if aim == levelling.PEAK else "LUFS"
    words = f"{'every piece' if every else 'a piece'} brought to {level:g} {unit}".replace("-", "−")
    _edit(desk, session_id, track_id, words, change, start, 0 if every else key, alone=True, layers=every)
    loud = [s for s in said if "it will be heard" in s or "clip" in s]
    if len(said) == 1:
        return said[0]
    return f"{len(said)} pieces. {loud[0] if loud else 'No noise comes up that is heard.'}"


def flip(desk: Desk, session_id: int, track_id: int, start: int, piece: int = 0) -> None:
    what = "polarity of a piece reversed"
    _edit(desk, session_id, track_id, what, lambda e, t, p, s: laying.flip(p, s), start, piece, alone=True)


def set_fades(
    desk: Desk, session_id: int, track_id: int, start: int, fade_in: tuple[float, str], fade_out: tuple[float, str],
    piece: int = 0,
) -> None:
    """Each with its length in ms and its shape."""
    def change(edit: Edit, track: Track, pieces: Pieces, start: int) -> Pieces:
        rate = edit.session.rate_hz
        made = (Fade(round(ms * rate / 1000.0), shape) for ms, shape in (fade_in, fade_out))
        return laying.with_fades(pieces, start, *made)

    _edit(desk, session_id, track_id, "fades of a piece", change, start, piece)


def set_seam(desk: Desk, session_id: int, track_id: int, start: int, ms: str, shape: str, piece: int = 0) -> None:
    """How long the crossfade is with which a piece begins, and its shape; with an empty length it is the usual one, and
    with an empty shape the one that suits how alike both sides are. Raises Refusal for what is no length."""
    typed = ms.replace(",", ".").lower().removesuffix("ms").strip()
    try:
        length = float(typed) if typed else None
    except ValueError as why:
        raise Refusal(f"“{ms}” is no length in milliseconds. The seam stayed as it was.") from why
    if length is not None and not 0.0 <= length <= MOST_SEAM_MS:
        raise Refusal(f"A crossfade lasts 0 to {MOST_SEAM_MS:.0f} ms. The seam stayed as it was.")

    def change(edit: Edit, track: Track, pieces: Pieces, start: int) -> Pieces:
        if length is None:
            return laying.with_seam(pieces, start, None)
        samples = round(length * edit.session.rate_hz / 1000.0)
        suits = shape or shape_for(desk, edit.session, pieces, start, samples)
        return laying.with_seam(pieces, start, Fade(samples, suits))

    _edit(desk, session_id, track_id, "a seam", change, start, piece)


def move_seam(desk: Desk, session_id: int, track_id: int, start: int, to: int, snap: str = OFF, piece: int = 0) -> None:
    def change(edit: Edit, track: Track, pieces: Pieces, start: int) -> Pieces:
        return laying.move_seam(pieces, start, *_lands(desk, edit, track_id, snap, to))

    _edit(desk, session_id, track_id, "a seam moved", change, start, piece)


def _lands(desk: Desk, edit: Edit, track_id: int, snap: str, *places: int) -> list[int]:
    """Where edits at these places land. Zero crossings are those of the track that is edited; others go with it."""
    tempo = tempo_of(edit.session)
    if snap != ZERO:
        return [on_grid(at, snap, tempo) for at in places]
    reach, pieces = round(ZERO_REACH_S * edit.session.rate_hz), track_pieces(desk, edit.session, track_id)
    return [at_zero(at, at - reach, heard_between(pieces, at - reach, at + reach)[0]) for at in places]


def _edit(
    desk: Desk, session_id: int, track_id: int, what: str, change: Change, start: int, key: int = 0,
    alone: bool = False, layers: bool = False,
) -> None:
    """On the track as asked, and on those that are cut together with it wherever they have something there. What one of
    them cannot do is done on none, so that they stay whole. ``key`` finds the piece wherever it is by now, 0 is only
    ``start``; the edit is one of its layer, or with ``layers`` of all."""
    with editing(desk, session_id) as edit:
        track = edit.track(track_id)
        found = laying.piece_of(pieces_in_use(edit.session, track.id), key, start)
        start, layer = (found.start, found.layer) if found is not None else (start, 0)
        for other in [track] if alone else comping.tracks_with(edit.session, track):
            comp = comping.in_use(edit.db, edit.session, other)
            try:
                pieces = comping.pieces_at(comp, edit.session)

                def one(pieces: Pieces, other: Track = other) -> Pieces:
                    return change(edit, other, pieces, start)

                pieces = one(pieces) if layers else laying.on_layer(pieces, layer, one)
            except (NothingThere, NotNow):
                if other is track:
                    raise
                continue
            except Refusal as why:
                if other is track:
                    raise
                raise Refusal(
                    f"{why.message} That is so on {other.name}, which is cut together with this track; take it out "
                    "first if it should stay as it is.", why.status,
                ) from why
            comping.write(comp, edit.session, pieces)
        edit.what = f"{track.name}: {what}"

"""Cut and join: the pieces that are in use, and edits of them."""

from typing import Annotated

from flask import Blueprint, Response, jsonify, render_template
from pydantic import Field

from cattailer.core.comps.fades import LINEAR
from cattailer.core.comps.snapping import OFF
from cattailer.services.stages.takes import cutting, cutview, piecesound, seaming, tightening
from cattailer.web.forms import Decibels, Figure, Form, Number, Text, desk, done, form, query, said
from cattailer.web.shell import render

blueprint = Blueprint("cut", __name__, url_prefix="/s/<int:session_id>/takes/cut")

Sample = Annotated[int, Field(ge=-(1 << 40), le=1 << 40)]


class Shown(Form):
    track: Number = 0
    division: int = Field(default=1, ge=1, le=6)


class Window(Form):
    track: Number
    start: Sample
    stop: Sample
    columns: int = Field(default=800, ge=1, le=4000)
    by_layer: bool = False


class OfPiece(Form):
    """The piece of a track that begins at ``at``, or wherever it is by now where ``piece``, its key, is said."""

    track: Number
    at: Sample
    piece: Number = 0


class OnTrack(Form):
    track: Number


class Tick(OfPiece):
    """Moved to a place, or put in and taken out without one."""

    to: Sample | None = None


class Tightened(OnTrack):
    division: int = Field(default=1, ge=1, le=6)
    percent: Figure = Field(default=100.0, ge=0, le=100)
    piece: Number = 0


class Split(OfPiece):
    snap: Text = OFF


class Stretch(Form):
    track: Number
    start: Sample
    stop: Sample
    snap: Text = OFF


class Trim(OfPiece):
    start: Sample
    stop: Sample
    snap: Text = OFF


class Moved(OfPiece):
    by: Sample
    snap: Text = OFF


class Nudged(OfPiece):
    count: int = Field(ge=-10_000, le=10_000)
    unit: Text


class Gained(OfPiece):
    gain_db: Decibels


class Levelled(OfPiece):
    aim: Text
    level: Decibels
    every: bool = False


class Faded(OfPiece):
    fade_in_ms: Figure = Field(ge=0)
    fade_in_shape: Text = LINEAR
    fade_out_ms: Figure = Field(ge=0)
    fade_out_shape: Text = LINEAR


class Seamed(OfPiece):
    """Without a length it is the usual one."""

    ms: Text = ""
    shape: Text = ""


class SeamWindow(OfPiece):
    reach: int = Field(default=2400, ge=2, le=1 << 20)


class SeamMoved(OfPiece):
    to: Sample
    snap: Text = OFF


@blueprint.get("/")
def stage(session_id: int) -> str:
    wish = query(Shown)
    shown = cutview.show(desk(), session_id, wish.track, wish.division)
    return render("takes", shown.frame, view="cut", page=shown, division=wish.division)


@blueprint.get("/rows")
def rows(session_id: int) -> str:
    wish = query(Shown)
    shown = cutview.show(desk(), session_id, wish.track, wish.division)
    return render("takes", shown.frame, view="cut", again=True, page=shown, division=wish.division)


@blueprint.get("/piece")
def piece(session_id: int) -> str:
    wish = query(OfPiece)
    found = cutview.piece(desk(), session_id, wish.track, wish.at, wish.piece)
    return render_template("takes/parts/piece.html", piece=found, track=wish.track, session_id=session_id)


@blueprint.get("/wave")
def wave(session_id: int) -> Response:
    wish = query(Window)
    return jsonify(piecesound.wave(desk(), session_id, wish.track, wish.start, wish.stop, wish.columns, wish.by_layer))


@blueprint.get("/seam")
def proposal(session_id: int) -> str:
    """Where a seam would be heard least."""
    wish = query(OfPiece)
    found = seaming.look(desk(), session_id, wish.track, wish.at, wish.piece)
    return render_template("takes/parts/proposal.html", seam=found, track=wish.track, session_id=session_id)


@blueprint.get("/seam/wave")
def seam_wave(session_id: int) -> Response:
    wish = query(SeamWindow)
    start, sides = seaming.wave(desk(), session_id, wish.track, wish.at, wish.reach, wish.piece)
    return jsonify(start=start, sides=sides)


@blueprint.post("/room-tone")
def room_tone(session_id: int) -> Response:
    cutting.lay_room_tone(desk(), session_id, form(OnTrack).track)
    return done()


@blueprint.post("/notes")
def find_notes(session_id: int) -> Response:
    return said(tightening.find(desk(), session_id, form(OnTrack).track))


@blueprint.post("/tick")
def tick(session_id: int) -> Response:
    wish = form(Tick)
    tightening.set_tick(desk(), session_id, wish.track, wish.at, wish.to)
    return done()


@blueprint.post("/tighten")
def tighten(session_id: int) -> Response:
    wish = form(Tightened)
    return said(tightening.tighten(desk(), session_id, wish.track, wish.division, wish.percent / 100.0, wish.piece))


@blueprint.post("/erase")
def erase(session_id: int) -> Response:
    wish = form(Stretch)
    cutting.erase(desk(), session_id, wish.track, wish.start, wish.stop, wish.snap)
    return done()


@blueprint.post("/split")
def split(session_id: int) -> Response:
    wish = form(Split)
    cutting.split(desk(), session_id, wish.track, wish.at, wish.snap)
    return done()


@blueprint.post("/take-away")
def take_away(session_id: int) -> Response:
    wish = form(OfPiece)
    cutting.take_away(desk(), session_id, wish.track, wish.at, wish.piece)
    return done()


@blueprint.post("/trim")
def trim(session_id: int) -> Response:
    wish = form(Trim)
    cutting.trim(desk(), session_id, wish.track, wish.at, wish.start, wish.stop, wish.snap, wish.piece)
    return done()


@blueprint.post("/move")
def move(session_id: int) -> Response:
    wish = form(Moved)
    cutting.move(desk(), session_id, wish.track, wish.at, wish.by, wish.snap, wish.piece)
    return done()


@blueprint.post("/nudge")
def nudge(session_id: int) -> Response:
    wish = form(Nudged)
    cutting.nudge(desk(), session_id, wish.track, wish.at, wish.count, wish.unit, wish.piece)
    return done()


@blueprint.post("/gain")
def gain(session_id: int) -> Response:
    wish = form(Gained)
    cutting.set_gain(desk(), session_id, wish.track, wish.at, wish.gain_db, wish.piece)
    return done()


@blueprint.post("/level")
def level(session_id: int) -> Response:
    wish = form(Levelled)
    of = desk(), session_id, wish.track, wish.at
    return said(cutting.set_level(*of, wish.aim, wish.level, wish.every, wish.piece))


@blueprint.post("/flip")
def flip(session_id: int) -> Response:
    wish = form(OfPiece)
    cutting.flip(desk(), session_id, wish.track, wish.at, wish.piece)
    return done()


@blueprint.post("/fades")
def fades(session_id: int) -> Response:
    wish = form(Faded)
    cutting.set_fades(
        desk(), session_id, wish.track, wish.at, (wish.fade_in_ms, wish.fade_in_shape),
        (wish.fade_out_ms, wish.fade_out_shape), wish.piece,
    )
    return done()


@blueprint.post("/seam")
def seam(session_id: int) -> Response:
    wish = form(Seamed)
    cutting.set_seam(desk(), session_id, wish.track, wish.at, wish.ms, wish.shape, wish.piece)
    return done()


@blueprint.post("/seam/move")
def move_seam(session_id: int) -> Response:
    wish = form(SeamMoved)
    cutting.move_seam(desk(), session_id, wish.track, wish.at, wish.to, wish.snap, wish.piece)
    return done()

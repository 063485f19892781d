"""Levels: the live room's panel."""

from typing import Literal

from flask import Blueprint, Response

from cattailer.services.desk import standin
from cattailer.web.forms import Decibels, Form, Text, desk, done, form

blueprint = Blueprint("levels_room", __name__, url_prefix="/s/<int:session_id>/levels")


class Loud(Form):
    player: Text
    db: Decibels


class Hum(Form):
    socket: int
    dbu: Decibels | None = None


class Turn(Form):
    socket: int
    gain_db: Decibels


class Rig(Form):
    name: Text
    what: Literal["screen", "di"]
    on: bool


@blueprint.post("/stand-in/loud")
def loud(session_id: int) -> Response:
    wish = form(Loud)
    standin.play_louder(desk(), wish.player, wish.db)
    return done()


@blueprint.post("/stand-in/hum")
def hum(session_id: int) -> Response:
    wish = form(Hum)
    standin.hum(desk(), wish.socket, wish.dbu)
    return done()


@blueprint.post("/stand-in/turn")
def turn(session_id: int) -> Response:
    wish = form(Turn)
    standin.turn_knob(desk(), wish.socket, wish.gain_db)
    return done()


@blueprint.post("/stand-in/rig")
def rig(session_id: int) -> Response:
    wish = form(Rig)
    standin.rig(desk(), wish.name, wish.what, wish.on)
    return done()

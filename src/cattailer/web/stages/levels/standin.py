"""Levels: the live room's panel."""

from typing import Literal

from flask import Blueprint, Response
from pydantic import Field

from cattailer.services.running import room
from cattailer.services.stages.levels import liveroom
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


class Stand(Form):
    socket: int
    player: Text = ""
    pickup: Text = "dynamic"


class Wear(Form):
    player: Text
    output: int = Field(default=0, ge=0, le=1000)


@blueprint.post("/stand-in/plug")
def plug(session_id: int) -> Response:
    liveroom.plug_in_list(desk(), session_id)
    return done()


@blueprint.post("/stand-in/put-back")
def put_back(session_id: int) -> Response:
    room.put_back(desk(), session_id)
    return done()


@blueprint.post("/stand-in/stand")
def stand(session_id: int) -> Response:
    wish = form(Stand)
    room.stand(desk(), session_id, wish.socket, wish.player, wish.pickup)
    return done()


@blueprint.post("/stand-in/wear")
def wear(session_id: int) -> Response:
    wish = form(Wear)
    room.wear(desk(), session_id, {wish.player: wish.output})
    return done()


@blueprint.post("/stand-in/headphones/<any(on, off):which>")
def headphones(session_id: int, which: str) -> Response:
    if which == "on":
        liveroom.put_on(desk(), session_id)
    else:
        liveroom.take_off(desk(), session_id)
    return done()


@blueprint.post("/stand-in/loud")
def loud(session_id: int) -> Response:
    wish = form(Loud)
    room.play_louder(desk(), session_id, wish.player, wish.db)
    return done()


@blueprint.post("/stand-in/hum")
def hum(session_id: int) -> Response:
    wish = form(Hum)
    room.hum(desk(), session_id, wish.socket, wish.dbu)
    return done()


@blueprint.post("/stand-in/turn")
def turn(session_id: int) -> Response:
    wish = form(Turn)
    room.turn_knob(desk(), session_id, wish.socket, wish.gain_db)
    return done()


@blueprint.post("/stand-in/rig")
def rig(session_id: int) -> Response:
    wish = form(Rig)
    room.rig(desk(), session_id, wish.name, wish.what, wish.on)
    return done()

"""Capture: arm, roll, capture."""

from typing import Literal

from flask import Blueprint, Response, jsonify, render_template
from pydantic import Field

from cattailer.services.desk import standin
from cattailer.services.running import ranges, sheet, transport
from cattailer.services.session import inputs, sessions, tracks
from cattailer.services.stages.takes import files
from cattailer.web.forms import Bar, Decibels, Form, Text, desk, done, form, query

blueprint = Blueprint("capture", __name__, url_prefix="/s/<int:session_id>")


class Armed(Form):
    armed: bool = False


class Name(Form):
    name: Text
    was: Text | None = None


class Gain(Form):
    gain_db: Decibels
    was: Decibels | None = None


class On(Form):
    on: bool
    sure: bool = False


class Position(Form):
    position: int = Field(ge=-(1 << 60), le=1 << 60)


class Bars(Form):
    """So many bars on, or to a bar."""

    bars: int = Field(default=0, ge=-1000, le=1000)
    to: int | None = Field(default=None, ge=1, le=100_000)


class Range(Form):
    first: Bar = 0
    last: Bar = 0


class Mode(Form):
    mode: Literal["rest", "check", "perform", "follow"]
    player: Text = ""


class LaneQuery(Form):
    at: int = Field(ge=-(1 << 60), le=1 << 60)
    columns: int


@blueprint.get("/capture")
def stage(session_id: int) -> str:
    return render_template("capture/stage.html", sheet=sheet.show(desk(), session_id), stage="capture")


@blueprint.get("/capture/rows")
def rows(session_id: int) -> str:
    return render_template("capture/refresh.html", sheet=sheet.show(desk(), session_id), stage="capture")


@blueprint.get("/capture/lanes")
def lanes(session_id: int) -> Response:
    wanted = query(LaneQuery)
    window = sheet.window(desk(), session_id, wanted.at)
    drawn = files.lanes(desk(), session_id, window.start, window.stop, wanted.columns)
    lost = files.dropouts(desk(), session_id, window.start, window.stop)
    return jsonify(
        start=window.start, stop=window.stop, bars=window.bars, tracks=drawn, dropouts=lost, range=window.range
    )


@blueprint.post("/range")
def set_range(session_id: int) -> Response:
    """Both bars are included, as people say it; while one field is still empty nothing is set."""
    wish = form(Range)
    if wish.first and wish.last:
        ranges.set_range(desk(), session_id, wish.first, wish.last + 1)
    return done()


@blueprint.post("/range/loop")
def switch_loop(session_id: int) -> Response:
    ranges.switch_loop(desk(), session_id)
    return done()


@blueprint.post("/tracks/<int:track_id>/arm")
def arm(session_id: int, track_id: int) -> Response:
    tracks.arm_track(desk(), session_id, track_id, form(Armed).armed)
    return done()


@blueprint.post("/tracks/arm")
def arm_all(session_id: int) -> Response:
    tracks.arm_all(desk(), session_id, form(Armed).armed)
    return done()


@blueprint.post("/tracks/<int:track_id>/name")
def rename(session_id: int, track_id: int) -> Response:
    wish = form(Name)
    tracks.rename_track(desk(), session_id, track_id, wish.name, wish.was)
    return done()


@blueprint.post("/inputs/<int:socket>/gain")
def gain(session_id: int, socket: int) -> Response:
    wish = form(Gain)
    inputs.set_gain(desk(), session_id, socket, wish.gain_db, wish.was)
    return done()


@blueprint.post("/inputs/<int:socket>/phantom")
def phantom(session_id: int, socket: int) -> Response:
    wish = form(On)
    inputs.switch(desk(), session_id, socket, "phantom", wish.on, wish.sure)
    return done()


@blueprint.post("/click")
def click(session_id: int) -> Response:
    sessions.set_click(desk(), session_id, form(On).on)
    return done()


@blueprint.post("/roll")
def roll(session_id: int) -> Response:
    transport.roll(desk(), session_id)
    return done()


@blueprint.post("/stop")
def stop(session_id: int) -> Response:
    transport.stop(desk(), session_id)
    return done()


@blueprint.post("/capture")
def capture(session_id: int) -> Response:
    transport.capture(desk(), session_id)
    return done()


@blueprint.post("/locate")
def locate(session_id: int) -> Response:
    transport.locate(desk(), session_id, form(Position).position)
    return done()


@blueprint.post("/bars")
def bars(session_id: int) -> Response:
    wish = form(Bars)
    if wish.to is None:
        transport.move_bars(desk(), session_id, wish.bars)
    else:
        transport.go_to_bar(desk(), session_id, wish.to)
    return done()


@blueprint.post("/meters/reset")
def reset_meters(session_id: int) -> Response:
    standin.reset_meters(desk())
    return done()


@blueprint.post("/players")
def players(session_id: int) -> Response:
    wish = form(Mode)
    standin.ask_players(desk(), wish.mode, wish.player or None)
    return done()

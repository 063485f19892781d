"""Capture: what people do in its rows. Every edit answers with nothing; pages fetch what changed."""

from typing import Annotated

from flask import Blueprint, Response, request
from pydantic import BeforeValidator, Field

from cattailer.services.keeping import placing
from cattailer.services.running import arming
from cattailer.services.session import inputs, tracks
from cattailer.web.forms import Decibels, Form, Number, Text, desk, done, form, said

blueprint = Blueprint("capture_edits", __name__, url_prefix="/s/<int:session_id>")


class Armed(Form):
    armed: bool = False


class Some(Armed):
    """Numbers of tracks, with commas."""

    tracks: Annotated[list[Number], BeforeValidator(lambda text: str(text).split(",")), Field(max_length=1000)]


class Name(Form):
    name: Text
    was: Text | None = None


class Typed(Form):
    value: Text
    was: Text = ""


class Gain(Form):
    gain_db: Decibels
    was: Decibels | None = None


class Nudge(Form):
    """From what it is."""

    by: Decibels


class On(Form):
    on: bool
    sure: bool = False


@blueprint.post("/tracks/<int:track_id>/arm")
def arm(session_id: int, track_id: int) -> Response:
    arming.arm_track(desk(), session_id, track_id, form(Armed).armed)
    return done()


@blueprint.post("/tracks/arm")
def arm_all(session_id: int) -> Response:
    arming.arm_all(desk(), session_id, form(Armed).armed)
    return done()


@blueprint.post("/tracks/arm-some")
def arm_some(session_id: int) -> Response:
    wish = form(Some)
    arming.arm_some(desk(), session_id, wish.tracks, wish.armed)
    return done()


@blueprint.post("/groups/<int:group_id>/arm")
def arm_group(session_id: int, group_id: int) -> Response:
    arming.arm_group(desk(), session_id, group_id, form(Armed).armed)
    return done()


@blueprint.post("/tracks/<int:track_id>/lock")
def lock(session_id: int, track_id: int) -> Response:
    arming.lock_track(desk(), session_id, track_id, form(On).on)
    return done()


@blueprint.post("/places/<any(media, copy, fallback):place>")
def choose_place(session_id: int, place: str) -> Response:
    return said(placing.choose(desk(), session_id, place, form(Typed).value))


@blueprint.post("/places/<any(media, copy, fallback):place>/speed")
def measure_place(session_id: int, place: str) -> Response:
    return said(placing.measure(desk(), session_id, place))


@blueprint.post("/tracks/<int:track_id>/name")
def rename(session_id: int, track_id: int) -> Response:
    wish = form(Name)
    tracks.rename_track(desk(), session_id, track_id, wish.name, wish.was)
    return done()


@blueprint.post("/inputs/<int:socket>/gain")
def gain(session_id: int, socket: int) -> Response:
    wish = form(Nudge) if "by" in request.form else form(Gain)
    if isinstance(wish, Nudge):
        inputs.step_gain(desk(), session_id, socket, wish.by)
    else:
        inputs.set_gain(desk(), session_id, socket, wish.gain_db, wish.was)
    return done()


@blueprint.post("/inputs/<int:socket>/phantom")
def phantom(session_id: int, socket: int) -> Response:
    wish = form(On)
    inputs.switch(desk(), session_id, socket, "phantom", wish.on, wish.sure)
    return done()

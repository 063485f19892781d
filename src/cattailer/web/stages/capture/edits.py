"""Capture: what people do in its rows. Every edit answers with nothing; pages fetch what changed."""

import tempfile
from pathlib import Path
from typing import Annotated

from flask import Blueprint, Response, request
from pydantic import BeforeValidator, Field

from cattailer.core.errors import Refusal
from cattailer.services.keeping import placing
from cattailer.services.running import arming
from cattailer.services.session import inputs, tracks
from cattailer.services.stages.capture import bringing
from cattailer.web.forms import AtBar, Decibels, Form, Number, Text, desk, done, form, said

blueprint = Blueprint("capture_edits", __name__, url_prefix="/s/<int:session_id>")
MOST_BYTES = 8 << 30


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


@blueprint.post("/files")
def bring_in(session_id: int) -> Response:
    """A sound file, as large as may be: it goes to the disk as it comes."""
    request.max_content_length = MOST_BYTES
    file = request.files.get("file")
    if file is None or not file.filename:
        raise Refusal("Choose a sound file first; nothing was changed.")
    bar = AtBar.model_validate({"bar": request.form.get("bar") or 0}).bar
    if not 0 <= bar <= 100_000:
        raise Refusal("A file begins at a bar (1 to 100,000) or where its time stamp says; nothing was changed.")
    with tempfile.TemporaryDirectory(prefix="cattailer-file-") as folder:
        path = Path(folder) / f"file{Path(file.filename).suffix[:10]}"
        file.save(path)
        return said(bringing.bring_in(desk(), session_id, path, file.filename, bar))


@blueprint.get("/files/progress")
def bringing_progress(session_id: int) -> Response:
    return said(bringing.progress(desk(), session_id))


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
    wish = form(Gain)
    inputs.set_gain(desk(), session_id, socket, wish.gain_db, wish.was)
    return done()


@blueprint.post("/inputs/<int:socket>/phantom")
def phantom(session_id: int, socket: int) -> Response:
    wish = form(On)
    inputs.switch(desk(), session_id, socket, "phantom", wish.on, wish.sure)
    return done()

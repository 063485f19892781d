"""Capture: sound files from elsewhere. Their bytes go past Flask, straight to the disk (``web/front/uploading.py``)."""

from typing import Literal

from flask import Blueprint, Response, jsonify, render_template
from pydantic import Field
from werkzeug.exceptions import NotFound

from cattailer.services.stages.capture import importing, importpage, uploads
from cattailer.web.forms import Form, Text, desk, done, form, query
from cattailer.web.shell import render

blueprint = Blueprint("imports", __name__, url_prefix="/s/<int:session_id>/imports")


class Offered(Form):
    name: Text
    bytes: int = Field(ge=0, le=1 << 50)


class Seen(Form):
    seen: int = -1


class Split(Form):
    split: Text


class Accepted(Form):
    wanted: bool = False


class Placed(Form):
    """``by``: where each file begins, "place" (typed in ``at``) or "stamp" (as it says itself)."""

    by: Literal["place", "stamp"] = "place"
    at: Text = ""


@blueprint.get("/")
def stage(session_id: int) -> str:
    return _page(session_id, False)


@blueprint.get("/rows")
def rows(session_id: int) -> str:
    return _page(session_id, True)


def _page(session_id: int, again: bool) -> str:
    shown = importpage.show(desk(), session_id)
    return render("capture", shown.frame, "import", again, page=shown, files=shown.files, session_id=session_id)


@blueprint.get("/files")
def files(session_id: int) -> str | Response:
    """Only the list, as it moves; nothing where the page shows it already."""
    listed = importpage.listed(desk(), session_id)
    if query(Seen).seen == listed.mark:
        return done()
    return render_template("capture/files.html", files=listed, session_id=session_id)


@blueprint.post("/")
def offer(session_id: int) -> Response:
    """Before a file is sent: its number, to send it to."""
    wish = form(Offered)
    return jsonify(number=uploads.offer(desk(), session_id, wish.name, wish.bytes).number)


@blueprint.put("/<int:number>/sound")
def sound(session_id: int, number: int) -> str:
    """The front takes it; the address is known here too, so that a role can be asked for."""
    raise NotFound


@blueprint.post("/<int:number>/cancel")
def cancel(session_id: int, number: int) -> Response:
    uploads.cancel(desk(), session_id, number)
    return done()


@blueprint.post("/<int:number>/accept")
def accept(session_id: int, number: int) -> Response:
    uploads.accept(desk(), session_id, number, form(Accepted).wanted)
    return done()


@blueprint.post("/<int:number>/split")
def split(session_id: int, number: int) -> Response:
    uploads.split(desk(), session_id, number, form(Split).split)
    return done()


@blueprint.post("/clear")
def clear(session_id: int) -> Response:
    uploads.clear(desk(), session_id)
    return done()


@blueprint.post("/begin")
def begin(session_id: int) -> Response:
    wish = form(Placed)
    importing.begin(desk(), session_id, wish.at if wish.by == "place" else None)
    return done()

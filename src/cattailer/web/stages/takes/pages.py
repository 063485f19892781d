"""Takes: hear, look at and download what was captured."""

from flask import Blueprint, Response, jsonify, render_template, send_file
from pydantic import Field

from cattailer.core.takes.leadin import Opening
from cattailer.services.keeping import checking
from cattailer.services.stages.takes import files, leadin, mending, show
from cattailer.web.forms import Form, Text, desk, done, form, query, said
from cattailer.web.shell import render

blueprint = Blueprint("takes", __name__, url_prefix="/s/<int:session_id>/takes")


class Columns(Form):
    columns: int = Field(default=600)


class LeadIn(Form):
    how: Opening


class Also(Form):
    """Another folder to look in for what was moved."""

    also: Text = ""


class Listed(Form):
    whole: int = Field(default=0, ge=0, lt=1 << 31)


@blueprint.get("/")
def stage(session_id: int) -> str:
    shown = show.show(desk(), session_id, query(Listed).whole)
    return render("takes", shown.frame, view="list", page=shown)


@blueprint.get("/rows")
def rows(session_id: int) -> str:
    shown = show.show(desk(), session_id, query(Listed).whole)
    return render("takes", shown.frame, view="list", again=True, page=shown)


@blueprint.post("/<int:take_id>/lead-in")
def lead_in(session_id: int, take_id: int) -> Response:
    leadin.open_lead_in(desk(), session_id, take_id, form(LeadIn).how)
    return done()


@blueprint.get("/misplaced")
def misplaced(session_id: int) -> str:
    found = mending.misplaced(desk(), session_id)
    return render_template("takes/parts/misplaced.html", misplaced=found, session_id=session_id)


@blueprint.post("/mend")
def mend(session_id: int) -> Response:
    return said(mending.mend(desk(), session_id))


@blueprint.post("/check")
def check_files(session_id: int) -> Response:
    checking.check_all(desk(), session_id, form(Also).also)
    return done()


@blueprint.get("/check")
def checked_files(session_id: int) -> str:
    return render_template("takes/parts/check.html", check=show.media_check(desk(), session_id), session_id=session_id)


@blueprint.get("/<int:take_id>/waveform")
def waveform(session_id: int, take_id: int) -> Response:
    return jsonify(files.take_waveform(desk(), session_id, take_id, query(Columns).columns))


@blueprint.get("/<int:take_id>/sound")
def sound(session_id: int, take_id: int) -> Response:
    """For playing: answers ranges."""
    file = files.take_file(desk(), session_id, take_id)
    return send_file(file.path, mimetype="audio/wav", conditional=True)


@blueprint.get("/<int:take_id>/file")
def download(session_id: int, take_id: int) -> Response:
    file = files.take_file(desk(), session_id, take_id)
    return send_file(file.path, mimetype="audio/wav", as_attachment=True, download_name=file.download_name)

"""Compared: how the takes of a track differ."""

from flask import Blueprint, Response, render_template
from pydantic import Field

from cattailer.services.stages.takes import comparing
from cattailer.web.forms import Form, Number, Text, desk, done, form, query
from cattailer.web.shell import render

blueprint = Blueprint("compared", __name__, url_prefix="/s/<int:session_id>/takes/compared")


class Shown(Form):
    track: Number = 0


class Wanted(Form):
    track: Number
    against: Number = 0
    division: int = Field(default=2, ge=1, le=6)


class Sorted(Form):
    sort: Text = "take"


@blueprint.get("/")
def stage(session_id: int) -> str:
    shown = comparing.show(desk(), session_id, query(Shown).track)
    return render("takes", shown.frame, view="compared", page=shown)


@blueprint.get("/rows")
def rows(session_id: int) -> str:
    shown = comparing.show(desk(), session_id, query(Shown).track)
    return render("takes", shown.frame, view="compared", again=True, page=shown)


@blueprint.post("/")
def begin(session_id: int) -> Response:
    wish = form(Wanted)
    comparing.begin(desk(), session_id, wish.track, wish.against, wish.division)
    return done()


@blueprint.get("/found")
def found(session_id: int) -> str:
    wish = query(Sorted)
    live = comparing.state(desk(), session_id, wish.sort)
    names = dict(comparing.show(desk(), session_id).tracks)
    return render_template("takes/parts/found.html", found=live, names=names, sort=wish.sort, session_id=session_id)

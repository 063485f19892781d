"""The bin: what lies in it, fetched back or deleted for good."""

from flask import Blueprint, Response
from pydantic import Field

from cattailer.services.running import binning
from cattailer.services.stages.takes import binned
from cattailer.web.forms import Form, Number, desk, done, form, query, said
from cattailer.web.shell import render

blueprint = Blueprint("binned", __name__, url_prefix="/s/<int:session_id>/takes/bin")


class Shown(Form):
    """``all``: everything is ticked."""

    all: bool = False


class Numbered(Form):
    number: Number


class Deleted(Form):
    number: list[Number] = Field(default_factory=list)
    knows: bool = False
    sure: bool = False


@blueprint.get("/")
def stage(session_id: int) -> str:
    shown = binned.show(desk(), session_id)
    return render("takes", shown.frame, view="binned", page=shown, ticked=query(Shown).all)


@blueprint.get("/rows")
def rows(session_id: int) -> str:
    shown = binned.show(desk(), session_id)
    return render("takes", shown.frame, view="binned", again=True, page=shown, ticked=False)


@blueprint.post("/fetch")
def fetch_back(session_id: int) -> Response:
    binning.fetch_back(desk(), session_id, form(Numbered).number)
    return done()


@blueprint.post("/discard")
def discard(session_id: int) -> Response:
    return said(binning.discard(desk(), session_id, form(Numbered).number))


@blueprint.post("/delete")
def delete(session_id: int) -> Response:
    wish = form(Deleted)
    return said(binning.delete(desk(), session_id, wish.number, wish.knows, wish.sure))

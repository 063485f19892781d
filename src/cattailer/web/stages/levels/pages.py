"""Levels: gain staging. The pages."""

from flask import Blueprint, render_template
from pydantic import Field

from cattailer.services.stages.levels import liveroom, noise, pairing, show
from cattailer.web.forms import Form, desk, query
from cattailer.web.shell import render

blueprint = Blueprint("levels", __name__, url_prefix="/s/<int:session_id>/levels")

VIEWS = {"rows": "Rows", "wide": "Wide", "noise": "Noise", "pairs": "Pairs", "room": "Live room"}


class Two(Form):
    first: int = Field(ge=1, le=1000)
    second: int = Field(ge=1, le=1000)


class Page(Form):
    page: int = Field(default=0, ge=0, le=100)


@blueprint.get("/")
def stage(session_id: int) -> str:
    return _page(session_id, "rows", False)


@blueprint.get("/<any(rows, wide, noise, pairs, room):view>")
def view(session_id: int, view: str) -> str:
    return _page(session_id, view, False)


@blueprint.get("/<any(rows, wide, noise, pairs, room):view>/rows")
def rows(session_id: int, view: str) -> str:
    return _page(session_id, view, True)


def _page(session_id: int, view: str, again: bool) -> str:
    shown = show.show(desk(), session_id)
    more: dict[str, object] = {}
    if view == "wide":
        more["at"] = query(Page).page
    elif view == "noise":
        more["measured_at"], more["noise_rows"] = noise.newest(desk(), session_id)
    elif view == "room":
        more["place"] = liveroom.show(desk(), session_id)
    return render("levels", shown.frame, view, again, page=shown, views=VIEWS, **more)


@blueprint.get("/pairs/compare")
def compare(session_id: int) -> str:
    two = query(Two)
    found = pairing.compare_rows(desk(), session_id, two.first, two.second)
    page = show.show(desk(), session_id)
    return render_template("levels/compared.html", compared=found, page=page, frame=page.frame)

"""Patch: what is plugged where, and where it goes. The pages."""

from flask import Blueprint, Response, render_template

from cattailer.services.stages.patch import inputlists, interface, linecheckpage, names, show
from cattailer.web.forms import Form, List, Text, desk, form, query
from cattailer.web.shell import render

blueprint = Blueprint("patch", __name__, url_prefix="/s/<int:session_id>/patch")

VIEWS = {
    "sockets": "Sockets", "list": "Input list", "tracks": "Tracks", "routes": "Routes", "check": "Line check",
    "interface": "Interface",
}


class ListText(Form):
    text: List


class Names(Form):
    code: Text = ""
    pattern: Text


class Grid(Form):
    grid: bool = False


@blueprint.get("/")
def stage(session_id: int) -> str:
    return _page(session_id, "sockets", False)


@blueprint.get("/<any(sockets, list, tracks, routes, check, interface):view>")
def view(session_id: int, view: str) -> str:
    return _page(session_id, view, False)


@blueprint.get("/<any(sockets, list, tracks, routes, check, interface):view>/rows")
def rows(session_id: int, view: str) -> str:
    return _page(session_id, view, True)


def _page(session_id: int, view: str, again: bool) -> str:
    shown = show.show(desk(), session_id)
    more: dict[str, object] = {}
    if view == "sockets":
        more["rows"] = show.sockets(shown)
    elif view == "tracks":
        more["lines"], more["sources"] = show.tracks(shown), show.sources(shown)
        more["names"] = {s.feed: s.name for s in show.sources(shown)}
    elif view == "routes":
        more["grid"] = query(Grid).grid
        more["sources"], more["left_of"] = show.sources(shown), show.left_of
    elif view == "check":
        more["check"] = linecheckpage.check(desk(), session_id, shown)
    elif view == "interface":
        more["setup"] = interface.show_interface(desk(), session_id, shown)
    return render("patch", shown.frame, view, again, page=shown, views=VIEWS, **more)


@blueprint.post("/list/preview")
def list_preview(session_id: int) -> str:
    page = show.show(desk(), session_id)
    text = form(ListText).text
    found = show.preview(desk(), page, text)
    return render_template("patch/preview.html", preview=found, text=text, frame=page.frame)


@blueprint.get("/list.csv")
def list_csv(session_id: int) -> Response:
    text, name = inputlists.export(desk(), session_id)
    return Response(
        "\ufeff" + text, content_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )


@blueprint.get("/paper")
def paper(session_id: int) -> str:
    """The input list to print."""
    page = show.show(desk(), session_id)
    return render_template("patch/paper.html", page=page, frame=page.frame, rows=show.sockets(page))


@blueprint.post("/names/example")
def names_example(session_id: int) -> str:
    """What a file would be called, while the pattern is typed."""
    wanted = form(Names)
    return names.example(desk(), session_id, wanted.code, wanted.pattern)

"""Capture: the pages, and what lies on the timeline."""

from flask import Blueprint, Response, jsonify, render_template
from pydantic import Field

from cattailer.services.stages.capture import lanes as timeline
from cattailer.services.stages.capture import show
from cattailer.web.forms import Form, desk, query
from cattailer.web.shell import render

blueprint = Blueprint("capture", __name__, url_prefix="/s/<int:session_id>/capture")


class LaneQuery(Form):
    at: int = Field(ge=-(1 << 60), le=1 << 60)
    columns: int


@blueprint.get("")
def stage(session_id: int) -> str:
    shown = show.show(desk(), session_id)
    return render("capture", shown.frame, page=shown)


@blueprint.get("/rows")
def rows(session_id: int) -> str:
    shown = show.show(desk(), session_id)
    return render("capture", shown.frame, again=True, page=shown)


@blueprint.get("/remote")
def remote(session_id: int) -> str:
    """For a phone."""
    return _remote(session_id, "capture/remote.html")


@blueprint.get("/remote/rows")
def remote_rows(session_id: int) -> str:
    return _remote(session_id, "capture/remoterefresh.html")


def _remote(session_id: int, template: str) -> str:
    shown = show.show(desk(), session_id)
    return render_template(template, frame=shown.frame, deck=shown.frame.deck, page=shown)


@blueprint.get("/lanes")
def lanes(session_id: int) -> Response:
    wanted = query(LaneQuery)
    window = timeline.window(desk(), session_id, wanted.at)
    drawn = timeline.waveforms(desk(), session_id, window.start, window.stop, wanted.columns)
    lost = timeline.dropouts(desk(), session_id, window.start, window.stop)
    clips = timeline.clips(desk(), session_id, window.start, window.stop)
    marks = timeline.marks(desk(), session_id, window.start, window.stop)
    return jsonify(
        start=window.start, stop=window.stop, ticks=[(t.sample, t.label, t.long) for t in window.ticks], tracks=drawn,
        dropouts=lost, range=window.range, marks=marks, clips=clips,
    )

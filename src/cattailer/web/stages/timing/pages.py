"""Timing: buffer, latency, round trip, tempo."""


from flask import Blueprint
from pydantic import Field

from cattailer.services.desk import standin
from cattailer.services.running import frame
from cattailer.services.stages.timing import buffers, clicking, correction, rates, tempo, tripfromtakes
from cattailer.web.forms import Form, desk, query
from cattailer.web.shell import render

blueprint = Blueprint("timing", __name__, url_prefix="/s/<int:session_id>/timing")

VIEWS = {"buffer": "Buffer", "trip": "Round trip", "rate": "Sample rate", "tempo": "Tempo", "click": "Click"}


class Whose(Form):
    track: int = Field(default=0, ge=0, le=1 << 31)


@blueprint.get("/")
def stage(session_id: int) -> str:
    return _page(session_id, "buffer", False)


@blueprint.get("/<any(buffer, trip, rate, tempo, click):view>")
def view(session_id: int, view: str) -> str:
    return _page(session_id, view, False)


@blueprint.get("/<any(buffer, trip, rate, tempo, click):view>/rows")
def rows(session_id: int, view: str) -> str:
    return _page(session_id, view, True)


def _page(session_id: int, view: str, again: bool) -> str:
    shown = frame.show(desk(), session_id)
    more: dict[str, object] = {"standing": correction.standing(desk(), session_id)}
    if view == "buffer":
        more["ladder"] = buffers.show(desk(), session_id, query(Whose).track)
        more["chance"] = buffers.chance_in_words
    elif view == "rate":
        more["rate"] = rates.show(desk(), session_id)
    elif view == "click":
        more["clicking"] = clicking.show(desk(), session_id)
    elif view == "trip":
        more["ends"] = buffers.ends(desk(), session_id)
        more["room"] = standin.room_of(desk())
        more["takes"] = tripfromtakes.choices(desk(), session_id)
    else:
        more["tempo"] = tempo.show(desk(), session_id)
    return render("timing", shown, view, again, views=VIEWS, **more)

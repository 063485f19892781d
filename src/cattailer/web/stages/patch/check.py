"""Patch: the line check, and the stand-in's microphones and cables."""

from typing import Literal

from flask import Blueprint, Response

from cattailer.services.desk import standin
from cattailer.services.running import room
from cattailer.services.stages.patch import linecheck
from cattailer.web.forms import Exchange, Form, Value, desk, done, form

blueprint = Blueprint("patch_check", __name__, url_prefix="/s/<int:session_id>/patch")


class Step(Form):
    what: Literal["tick", "skip", "to"]
    socket: int = 0


@blueprint.post("/check/<any(begin, end, swap, which):what>")
def check(session_id: int, what: str) -> Response:
    known = {"begin": linecheck.begin, "end": linecheck.end, "swap": linecheck.swap_in_list}
    known.get(what, linecheck.which_is_this)(desk(), session_id)
    return done()


@blueprint.post("/check/step")
def check_step(session_id: int) -> Response:
    wish = form(Step)
    linecheck.step(desk(), session_id, wish.what, wish.socket)
    return done()


@blueprint.post("/stand-in/knock")
def knock(session_id: int) -> Response:
    standin.knock(desk(), form(Value).value)
    return done()


@blueprint.post("/stand-in/swap")
def swap_cables(session_id: int) -> Response:
    wish = form(Exchange)
    room.swap_cables(desk(), session_id, wish.one, wish.other)
    return done()

"""Patch: the interface, the names of files and the input list."""

from flask import Blueprint, Response, request

from cattailer.core.errors import Refusal
from cattailer.services.session import hardware, rate
from cattailer.services.stages.patch import inputlists, names, profiles
from cattailer.web.forms import Form, List, Text, Value, desk, done, form, said

blueprint = Blueprint("patch_setup", __name__, url_prefix="/s/<int:session_id>/patch")


class Names(Form):
    code: Text = ""
    pattern: Text
    was: Text | None = None


class ListText(Form):
    text: List


@blueprint.post("/interface")
def interface(session_id: int) -> Response:
    hardware.choose_interface(desk(), session_id, form(Value).value)
    return done()


@blueprint.post("/rate")
def choose_rate(session_id: int) -> Response:
    rate.choose_rate(desk(), session_id, _number(form(Value).value))
    return done()


@blueprint.post("/bits")
def bits(session_id: int) -> Response:
    hardware.choose_bits(desk(), session_id, _number(form(Value).value))
    return done()


@blueprint.post("/names")
def choose_names(session_id: int) -> Response:
    wish = form(Names)
    names.choose_names(desk(), session_id, wish.code, wish.pattern, wish.was)
    return done()


@blueprint.post("/profile")
def profile(session_id: int) -> Response:
    file = request.files.get("file")
    if file is None or not file.filename:
        raise Refusal("Choose a TOML file first; nothing was kept.")
    kept = profiles.keep_profile(desk(), file.filename, file.read())
    return said(f"{kept.name} was kept and can be chosen now.")


@blueprint.post("/list")
def take_list(session_id: int) -> Response:
    inputlists.take_over(desk(), session_id, form(ListText).text)
    return Response(status=204, headers={"HX-Redirect": "tracks"})


def _number(text: str) -> int:
    if not text.isdecimal() or len(text) > 9:
        raise Refusal(f"“{text[:20]}” is not a number that can be chosen here; nothing was changed.")
    return int(text)

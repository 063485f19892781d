"""Timing: what may be done to the click and the count-in."""

from flask import Blueprint, Response, request
from pydantic import Field

from cattailer.core.errors import Refusal
from cattailer.services.running import click
from cattailer.services.stages.timing import clicking
from cattailer.web.forms import AtBar, Bar, Decibels, Form, Text, desk, done, form, said

blueprint = Blueprint("timing_click", __name__, url_prefix="/s/<int:session_id>/timing/clicking")


class Clicking(Form):
    when: Text = "both"
    sound: Text = "wood"
    level_db: Decibels = -12.0
    accent_db: Decibels = 5.0
    subdivision: int = 1
    between_db: Decibels = 6.0
    count_bars: int = 0
    count_when: Text = "capturing"
    count_sound: Text = "click"


class Beat(Form):
    beat: int = Field(ge=1, le=64)


class Stretch(Form):
    bar: int
    until: Bar = 0


@blueprint.post("")
def change(session_id: int) -> Response:
    """``mixes`` may come many times; an empty one says that they were asked for, ticked or not."""
    asked = request.form.getlist("mixes")
    mixes = [m for m in asked if m]
    if not all(m.isdecimal() for m in mixes):
        raise Refusal("The mixes cannot be read; the click stays as it was.")
    wish = Clicking.model_validate({k: v for k, v in request.form.items() if k != "mixes"})
    wanted: dict[str, object] = wish.model_dump(exclude_unset=True)
    if asked:
        wanted["mixes"] = [int(m) for m in mixes]
    clicking.change(desk(), session_id, wanted)
    return done()


@blueprint.post("/count")
def step_count(session_id: int) -> Response:
    click.step_count(desk(), session_id)
    return done()


@blueprint.post("/beat")
def step_beat(session_id: int) -> Response:
    clicking.step_beat(desk(), session_id, form(Beat).beat)
    return done()


@blueprint.post("/silence")
def silence(session_id: int) -> Response:
    wish = form(Stretch)
    clicking.silence(desk(), session_id, wish.bar, wish.until)
    return done()


@blueprint.post("/stop-here")
def stop_here(session_id: int) -> Response:
    clicking.stop_here(desk(), session_id)
    return done()


@blueprint.post("/unsilence")
def unsilence(session_id: int) -> Response:
    clicking.unsilence(desk(), session_id, form(AtBar).bar)
    return done()


@blueprint.post("/print")
def print_click(session_id: int) -> Response:
    wish = form(Stretch)
    clicking.print_click(desk(), session_id, wish.bar, wish.until)
    return said(f"The click of bars {wish.bar} to {wish.until - 1} lies on the track Click, under Takes.")

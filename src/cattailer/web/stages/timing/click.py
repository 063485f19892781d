"""Timing: what may be done to the click and the count-in."""

from flask import Blueprint, Response
from pydantic import Field

from cattailer.services.running import click
from cattailer.services.stages.timing import clicking
from cattailer.web.forms import AtBar, Bar, Decibels, Form, Text, Ticked, desk, done, form, said

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
    mixes: list[Ticked] = Field(default_factory=list)


class Beat(Form):
    beat: int = Field(ge=1, le=64)


class Stretch(Form):
    bar: int
    until: Bar = 0


@blueprint.post("")
def change(session_id: int) -> Response:
    wish = form(Clicking)
    wanted: dict[str, object] = wish.model_dump(exclude_unset=True, exclude={"mixes"})
    if wish.mixes:
        wanted["mixes"] = [mix for mix in wish.mixes if mix]
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

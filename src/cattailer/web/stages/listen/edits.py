"""Listen: what people do there. Every edit answers with nothing; pages fetch what changed."""

from typing import Literal

from flask import Blueprint, Response
from pydantic import Field

from cattailer.core.mix.moving import Move
from cattailer.services.stages.listen import columns, gestures, listening
from cattailer.web.forms import Decibels, Form, Number, desk, done, form, said

blueprint = Blueprint("listen_edits", __name__, url_prefix="/s/<int:session_id>/listen")
Key = Field(max_length=40)
What = Literal["path", "when", "point"]


class Moved(Form):
    """A control that was set, not dragged."""

    end: str = Key
    target: str = Field(default="", max_length=40)
    what: str = Field(max_length=40)
    value: Decibels


class Sent(Form):
    end: str = Key
    target: str = Key
    on: bool


class Copied(Form):
    source: Number


class Own(Form):
    track: Number
    own: bool


class On(Form):
    on: bool


class Chosen(Form):
    what: What
    value: str = Field(default="", max_length=20)


class Cure(Form):
    track: Number
    mix: Number = 0


class Alone(Form):
    end: str = Field(default="", max_length=40)


@blueprint.post("/set")
def set_control(session_id: int) -> Response:
    wish = form(Moved)
    gestures.settle(desk(), session_id, [Move(wish.end, wish.target, wish.what, wish.value)])
    return done()


@blueprint.post("/send")
def send(session_id: int) -> Response:
    wish = form(Sent)
    columns.send(desk(), session_id, wish.end, wish.target, wish.on)
    return done()


@blueprint.post("/ears/<int:mix_id>/copy")
def copy(session_id: int, mix_id: int) -> Response:
    columns.copy(desk(), session_id, mix_id, form(Copied).source)
    return said("Copied. Ctrl+Z takes it back.")


@blueprint.post("/ears/<int:mix_id>/own")
def own(session_id: int, mix_id: int) -> Response:
    wish = form(Own)
    columns.set_own(desk(), session_id, mix_id, wish.track, wish.own)
    return done()


@blueprint.post("/ears/<int:mix_id>/after")
def after_fader(session_id: int, mix_id: int) -> Response:
    columns.set_after_fader(desk(), session_id, mix_id, form(On).on)
    return done()


@blueprint.post("/ears/<int:mix_id>/limit")
def limit(session_id: int, mix_id: int) -> Response:
    columns.set_limit(desk(), session_id, mix_id, form(On).on)
    return done()


@blueprint.post("/tracks/<int:track_id>")
def choose(session_id: int, track_id: int) -> Response:
    wish = form(Chosen)
    listening.choose(desk(), session_id, track_id, wish.what, wish.value)
    return done()


@blueprint.post("/tracks/<int:track_id>/in/<int:mix_id>")
def choose_in(session_id: int, track_id: int, mix_id: int) -> Response:
    wish = form(Chosen)
    listening.choose_in(desk(), session_id, track_id, mix_id, wish.what, wish.value)
    return done()


@blueprint.post("/alone")
def alone(session_id: int) -> Response:
    listening.hear_alone(desk(), session_id, form(Alone).end)
    return done()


@blueprint.post("/cure/<any(own, auto):action>")
def cure(session_id: int, action: str) -> Response:
    wish = form(Cure)
    if action == "own":
        columns.let_in(desk(), session_id, wish.track, wish.mix)
    else:
        listening.choose(desk(), session_id, wish.track, "when", "auto")
    return done()

"""Listen: what people do there. Every edit answers with nothing; pages fetch what changed."""

from typing import Literal

from flask import Blueprint, Response
from pydantic import Field

from cattailer.core.errors import Refusal
from cattailer.core.mix.moving import Move
from cattailer.services.stages.listen import columns, gestures, guiding, inserts, listening
from cattailer.web.forms import Decibels, Figure, Form, Number, Text, desk, done, form, said

blueprint = Blueprint("listen_edits", __name__, url_prefix="/s/<int:session_id>/listen")
Key = Field(max_length=40)
What = Literal["path", "when", "point"]


class Moved(Form):
    """A control that was set, not dragged."""

    end: str = Key
    target: str = Field(default="", max_length=40)
    what: str = Field(max_length=40)
    value: Figure


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


class Limit(Form):
    by: str = Field(max_length=20)


class Chosen(Form):
    what: What
    value: str = Field(default="", max_length=20)


class Cure(Form):
    track: Number
    mix: Number = 0


class Prints(Form):
    track: Number
    prints: bool


class Placed(Form):
    bar: int = Field(ge=1, le=100_000)
    beat: int = Field(default=1, ge=1, le=64)


class Guide(Placed):
    beats: Figure = 4.0
    keys: str = Field(default="", max_length=1000)


class Row(Form):
    end: str = Key


class SureOf(Form):
    """Somebody who was asked is sure."""

    sure: bool = False


class Insert(Row, SureOf):
    pass


class Switch(Insert):
    on: bool


class Space(Row):
    space: Literal["pantry", "grain barn", "stone stair"]


class Name(Form):
    text: Text
    was: Text | None = None


class SendLevel(Row):
    target: str = Key
    value: Decibels | Literal[""] = ""


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
    columns.set_limit(desk(), session_id, mix_id, form(Limit).by)
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


@blueprint.post("/insert/<any(eq, dyn, reverb):kind>")
def insert(session_id: int, kind: str) -> Response:
    wish = form(Insert)
    inserts.insert(desk(), session_id, wish.end, kind, wish.sure)
    return done()


@blueprint.post("/switch/<any(eq, dyn, reverb):kind>")
def switch(session_id: int, kind: str) -> Response:
    wish = form(Switch)
    inserts.switch(desk(), session_id, wish.end, kind, wish.on, wish.sure)
    return done()


@blueprint.post("/take-out/<any(eq, dyn, reverb):kind>")
def take_out(session_id: int, kind: str) -> Response:
    inserts.take_out(desk(), session_id, form(Row).end, kind)
    return done()


@blueprint.post("/space")
def space(session_id: int) -> Response:
    wish = form(Space)
    inserts.choose_space(desk(), session_id, wish.end, wish.space)
    return done()


@blueprint.post("/returns")
def add_return(session_id: int) -> Response:
    inserts.add_return(desk(), session_id, form(SureOf).sure)
    return done()


@blueprint.post("/returns/<int:return_id>/name")
def rename_return(session_id: int, return_id: int) -> Response:
    wish = form(Name)
    inserts.rename_return(desk(), session_id, return_id, wish.text, wish.was)
    return done()


@blueprint.post("/returns/<int:return_id>/remove")
def remove_return(session_id: int, return_id: int) -> Response:
    inserts.remove_return(desk(), session_id, return_id)
    return done()


@blueprint.post("/sends")
def sends(session_id: int) -> Response:
    """A send's level as it is typed; an empty one sends nothing any more."""
    wish = form(SendLevel)
    columns.set_send(desk(), session_id, wish.end, wish.target, None if wish.value == "" else wish.value)
    return done()


@blueprint.post("/cure/<any(own, auto, once):action>")
def cure(session_id: int, action: str) -> Response:
    wish = form(Cure)
    if action == "own":
        columns.let_in(desk(), session_id, wish.track, wish.mix)
    elif action == "once":
        columns.leave_to_group(desk(), session_id, wish.track, wish.mix)
    else:
        listening.choose(desk(), session_id, wish.track, "when", "auto")
    return done()


@blueprint.post("/guide/place")
def place_guide(session_id: int) -> Response:
    wish = form(Guide)
    keys = wish.keys.split()
    if not all(k.isascii() and k.isdecimal() and len(k) < 4 for k in keys):
        raise Refusal("Those are no keys. Choose them on the keyboard; nothing was placed.")
    guiding.place(desk(), session_id, wish.bar, wish.beat, wish.beats, [int(k) for k in keys])
    return done()


@blueprint.post("/guide/remove")
def remove_guide(session_id: int) -> Response:
    wish = form(Placed)
    guiding.remove(desk(), session_id, wish.bar, wish.beat)
    return done()


@blueprint.post("/prints")
def prints(session_id: int) -> Response:
    wish = form(Prints)
    inserts.set_prints(desk(), session_id, wish.track, wish.prints)
    return done()

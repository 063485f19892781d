"""Patch: what people do there. Every edit answers with nothing; pages fetch what changed."""

from flask import Blueprint, Response, request
from pydantic import Field

from cattailer.core.gear.interface import Switch as SwitchKey
from cattailer.services.session import inputs, tracks
from cattailer.services.stages.patch import cures, routes
from cattailer.web.forms import Exchange, Form, Text, Ticked, desk, done, form

blueprint = Blueprint("patch_edits", __name__, url_prefix="/s/<int:session_id>/patch")


class Typed(Form):
    text: Text = ""
    was: Text | None = None


class Numbers(Form):
    number: list[Ticked] = Field(default_factory=list)


class Switch(Form):
    switch: SwitchKey
    on: bool
    sure: bool = False


class Sure(Form):
    sure: bool = False


class Feed(Form):
    side: int = 0
    feed: Text
    was: Text | None = None


class Add(Form):
    count: int = 1
    pair: bool = False
    feed: Text = ""
    name: Text = ""


class Pair(Form):
    pair: bool


class Look(Form):
    colour: Text | None = None
    icon: Text | None = None


class Place(Form):
    place: int = Field(ge=-1000, le=1000)


class Route(Form):
    start: Text
    target: Text
    on: bool


class NewEnd(Form):
    name: Text = ""


class Outputs(Form):
    first: int = 0


@blueprint.post("/inputs/<int:socket>/<any(label, source, technique, distance, aim, note):name>")
def text(session_id: int, socket: int, name: str) -> Response:
    typed = form(Typed)
    inputs.set_text(desk(), session_id, socket, name, typed.text, typed.was)
    return done()


@blueprint.post("/inputs/<int:socket>/pickup")
def pickup(session_id: int, socket: int) -> Response:
    typed = form(Typed)
    inputs.set_pickup(desk(), session_id, socket, typed.text, typed.was)
    return done()


@blueprint.post("/inputs/<int:socket>/switch")
def switch(session_id: int, socket: int) -> Response:
    wish = form(Switch)
    inputs.switch(desk(), session_id, socket, wish.switch, wish.on, wish.sure)
    return done()


@blueprint.post("/inputs/<int:socket>/unplug")
def unplug(session_id: int, socket: int) -> Response:
    inputs.unplug(desk(), session_id, socket, form(Sure).sure)
    return done()


@blueprint.post("/inputs/exchange")
def exchange(session_id: int) -> Response:
    wish = form(Exchange)
    inputs.exchange(desk(), session_id, wish.one, wish.other)
    return done()


@blueprint.post("/away/<any(inputs, outputs):kind>")
def away(session_id: int, kind: str) -> Response:
    inputs.put_away(desk(), session_id, kind, form(Numbers).number)
    return done()


@blueprint.post("/tracks")
def add(session_id: int) -> Response:
    wish = form(Add)
    tracks.add_tracks(desk(), session_id, tracks.Wanted(wish.count, wish.pair, wish.feed, wish.name))
    return done()


@blueprint.post("/tracks/<int:track_id>/feed")
def feed(session_id: int, track_id: int) -> Response:
    wish = form(Feed)
    tracks.feed_track(desk(), session_id, track_id, wish.side, wish.feed, wish.was)
    return done()


@blueprint.post("/tracks/<int:track_id>/pair")
def pair(session_id: int, track_id: int) -> Response:
    tracks.set_pair(desk(), session_id, track_id, form(Pair).pair)
    return done()


@blueprint.post("/tracks/<int:track_id>/look")
def look(session_id: int, track_id: int) -> Response:
    wish = form(Look)
    tracks.set_look(desk(), session_id, track_id, wish.colour, wish.icon)
    return done()


@blueprint.post("/tracks/<int:track_id>/note")
def note(session_id: int, track_id: int) -> Response:
    typed = form(Typed)
    tracks.set_note(desk(), session_id, track_id, typed.text, typed.was)
    return done()


@blueprint.post("/tracks/<int:track_id>/duplicate")
def duplicate(session_id: int, track_id: int) -> Response:
    tracks.duplicate(desk(), session_id, track_id)
    return done()


@blueprint.post("/tracks/<int:track_id>/remove")
def remove(session_id: int, track_id: int) -> Response:
    tracks.remove_track(desk(), session_id, track_id)
    return done()


@blueprint.post("/tracks/<int:track_id>/move")
def move(session_id: int, track_id: int) -> Response:
    tracks.move_track(desk(), session_id, track_id, form(Place).place)
    return done()


@blueprint.post("/routes")
def route(session_id: int) -> Response:
    wish = form(Route)
    routes.set_route(desk(), session_id, wish.start, wish.target, wish.on)
    return done()


@blueprint.post("/<any(group, mix):kind>")
def add_end(session_id: int, kind: str) -> Response:
    routes.add_end(desk(), session_id, kind, form(NewEnd).name)
    return done()


@blueprint.post("/<any(group, mix):kind>/<int:end_id>/name")
def rename_end(session_id: int, kind: str, end_id: int) -> Response:
    typed = form(Typed)
    routes.rename_end(desk(), session_id, kind, end_id, typed.text, typed.was)
    return done()


@blueprint.post("/<any(group, mix):kind>/<int:end_id>/remove")
def remove_end(session_id: int, kind: str, end_id: int) -> Response:
    routes.remove_end(desk(), session_id, kind, end_id)
    return done()


@blueprint.post("/mix/<int:mix_id>/outputs")
def outputs(session_id: int, mix_id: int) -> Response:
    routes.set_outputs(desk(), session_id, mix_id, form(Outputs).first or None)
    return done()


@blueprint.post("/cure/<action>")
def cure(session_id: int, action: str) -> Response:
    cures.apply(desk(), session_id, action, request.form.to_dict())
    return done()

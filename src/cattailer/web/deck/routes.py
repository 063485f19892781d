"""The Deck: what it does on every stage. Pages fetch what changed when they hear of it."""

from flask import Blueprint, Response
from pydantic import Field

from cattailer.core.standin import Mode as PlayerMode
from cattailer.core.takes.marks import MARKER
from cattailer.services.desk import meters, standin
from cattailer.services.running import binning, capturing, click, marking, ranges, transport
from cattailer.services.session import inputs
from cattailer.web.forms import Form, Number, Text, desk, done, form, said

blueprint = Blueprint("deck", __name__, url_prefix="/s/<int:session_id>")


class On(Form):
    on: bool


class Position(Form):
    position: int = Field(ge=-(1 << 60), le=1 << 60)


class Bars(Form):
    """How many bars on, or to which bar."""

    bars: int = Field(default=0, ge=-1000, le=1000)
    to: int | None = Field(default=None, ge=1, le=100_000)


class Pressed(Form):
    """The ring sample at which somebody pressed, as the page saw it."""

    pressed: int | None = Field(default=None, ge=0, le=1 << 60)


class Numbered(Form):
    """The number of a take, or none for the newest."""

    number: Number | None = None


class Rated(Numbered):
    rating: Text


class Marked(Form):
    kind: Text = MARKER
    text: Text = ""
    author: Text = ""


class Setting(Form):
    name: Text
    value: Text
    was: Text = ""


class Range(Form):
    first: Text = ""
    last: Text = ""


class Stretch(Form):
    """Two timeline positions."""

    start: int = Field(ge=-(1 << 60), le=1 << 60)
    stop: int = Field(ge=-(1 << 60), le=1 << 60)


class Here(Form):
    end: Text


class Counted(Form):
    ruler: Text


class Cure(Form):
    socket: int = Field(ge=1, le=1000)
    sure: bool = False


class Mode(Form):
    mode: PlayerMode
    player: Text = ""


@blueprint.post("/roll")
def roll(session_id: int) -> Response:
    transport.roll(desk(), session_id)
    return done()


@blueprint.post("/stop")
def stop(session_id: int) -> Response:
    transport.stop(desk(), session_id, form(Pressed).pressed)
    return done()


@blueprint.post("/capture")
def capture(session_id: int) -> Response:
    transport.capture(desk(), session_id, pressed=form(Pressed).pressed)
    return done()


@blueprint.post("/punch-out")
def punch_out(session_id: int) -> Response:
    transport.punch_out(desk(), session_id, form(Pressed).pressed)
    return done()


@blueprint.post("/play-last")
def play_last(session_id: int) -> Response:
    transport.play_last(desk(), session_id)
    return done()


@blueprint.post("/discard")
def discard(session_id: int) -> Response:
    return said(binning.discard(desk(), session_id, form(Numbered).number))


@blueprint.post("/rate")
def rate(session_id: int) -> Response:
    wish = form(Rated)
    return said(marking.rate(desk(), session_id, wish.rating, wish.number))


@blueprint.post("/mark")
def mark(session_id: int) -> Response:
    wish = form(Marked)
    return said(marking.mark(desk(), session_id, wish.kind, wish.text, wish.author))


@blueprint.post("/marks/<int:mark_id>/remove")
def unmark(session_id: int, mark_id: int) -> Response:
    marking.unmark(desk(), session_id, mark_id)
    return done()


@blueprint.post("/capturing")
def capturing_setting(session_id: int) -> Response:
    """How the next capture goes: one setting."""
    wish = form(Setting)
    capturing.change(desk(), session_id, wish.name, wish.value)
    return done()


@blueprint.post("/again")
def again(session_id: int) -> Response:
    transport.again(desk(), session_id, form(Pressed).pressed)
    return done()


@blueprint.post("/keep")
def keep(session_id: int) -> Response:
    transport.keep_heard(desk(), session_id)
    return said("What was just heard is being kept; it appears in Takes in a moment.")


@blueprint.post("/locate")
def locate(session_id: int) -> Response:
    transport.locate(desk(), session_id, form(Position).position)
    return done()


@blueprint.post("/bars")
def bars(session_id: int) -> Response:
    wish = form(Bars)
    if wish.to is None:
        transport.move_bars(desk(), session_id, wish.bars)
    else:
        transport.go_to_bar(desk(), session_id, wish.to)
    return done()


@blueprint.post("/range")
def set_range(session_id: int) -> Response:
    """Both bars are included, as people say it; while one field is still empty nothing is set."""
    wish = form(Range)
    if wish.first and wish.last:
        ranges.set_range(desk(), session_id, wish.first, wish.last)
    return done()


@blueprint.post("/range/drag")
def drag_range(session_id: int) -> Response:
    wish = form(Stretch)
    ranges.set_samples(desk(), session_id, wish.start, wish.stop)
    return done()


@blueprint.post("/range/here")
def range_from_here(session_id: int) -> Response:
    ranges.from_here(desk(), session_id, form(Here).end)
    return done()


@blueprint.post("/range/take")
def range_of_take(session_id: int) -> Response:
    ranges.from_run(desk(), session_id, form(Numbered).number)
    return done()


@blueprint.post("/range/marks/<int:mark_id>")
def range_of_marks(session_id: int, mark_id: int) -> Response:
    ranges.from_mark(desk(), session_id, mark_id)
    return done()


@blueprint.post("/ruler")
def choose_ruler(session_id: int) -> Response:
    ranges.choose_ruler(desk(), session_id, form(Counted).ruler)
    return done()


@blueprint.post("/range/loop")
def switch_loop(session_id: int) -> Response:
    ranges.switch_loop(desk(), session_id)
    return done()


@blueprint.post("/click")
def switch_click(session_id: int) -> Response:
    click.set_click(desk(), session_id, form(On).on)
    return done()


@blueprint.post("/count-in")
def step_count(session_id: int) -> Response:
    click.step_count(desk(), session_id)
    return done()


@blueprint.post("/meters/reset")
def reset_meters(session_id: int) -> Response:
    meters.reset_meters(desk())
    return done()


@blueprint.post("/cure/<any(phantom):action>")
def cure(session_id: int, action: str) -> Response:
    """What one click does about a finding of the ready check."""
    wish = form(Cure)
    inputs.switch(desk(), session_id, wish.socket, action, True, wish.sure)
    return done()


@blueprint.post("/players")
def players(session_id: int) -> Response:
    wish = form(Mode)
    standin.ask_players(desk(), wish.mode, wish.player or None)
    return done()

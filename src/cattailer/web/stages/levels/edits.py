"""Levels: what people do there. Every edit answers with nothing; pages fetch what changed."""

from flask import Blueprint, Response
from pydantic import Field

from cattailer.core.advice.gainadvice import Phase
from cattailer.core.sound.meters import Kind, Point
from cattailer.services.desk import meters
from cattailer.services.stages.levels import knobs, noise, pairing, soundcheck, tuning, watch, windows
from cattailer.web.forms import Decibels, Form, Number, desk, done, form, said

blueprint = Blueprint("levels_edits", __name__, url_prefix="/s/<int:session_id>/levels")


class Begin(Form):
    """``socket``: the rows that are ticked; none means all."""

    phase: Phase = "check"
    socket: list[Number] = Field(default_factory=list)


class One(Form):
    socket: int | None = Field(default=None, ge=1, le=1000)


class Window(Form):
    low: Decibels
    high: Decibels


class OwnWindow(Form):
    low: Decibels | None = None
    high: Decibels | None = None


class Meters(Form):
    kind: Kind = "peak"
    point: Point = "input"


class Offset(Form):
    first: int
    second: int
    samples: float = Field(allow_inf_nan=False, ge=-1e6, le=1e6)
    cm: float = Field(allow_inf_nan=False, ge=-1e6, le=1e6)


class Reference(Form):
    hz: float = Field(allow_inf_nan=False)


@blueprint.post("/check/begin")
def begin(session_id: int) -> Response:
    wish = form(Begin)
    soundcheck.begin(desk(), session_id, wish.phase, wish.socket or None)
    return done()


@blueprint.post("/check/end")
def end(session_id: int) -> Response:
    heard = soundcheck.end(desk(), session_id)
    return said(f"{heard} {'row' if heard == 1 else 'rows'} gave a signal; the advice stands in the rows.")


@blueprint.post("/apply")
def apply(session_id: int) -> Response:
    socket = form(One).socket
    done = soundcheck.apply(desk(), session_id, None if socket is None else [socket])
    return said(f"Set: {'socket' if len(done) == 1 else 'sockets'} {', '.join(map(str, done))}. Ctrl+Z takes it back.")


@blueprint.post("/window")
def window(session_id: int) -> Response:
    wish = form(Window)
    windows.set_window(desk(), session_id, wish.low, wish.high)
    return done()


@blueprint.post("/tracks/<int:track_id>/window")
def own_window(session_id: int, track_id: int) -> Response:
    wish = form(OwnWindow)
    both = (wish.low, wish.high) if wish.low is not None and wish.high is not None else None
    windows.set_own_window(desk(), session_id, track_id, both)
    return done()


@blueprint.post("/meters")
def choose_meters(session_id: int) -> Response:
    wish = form(Meters)
    meters.choose_meters(desk(), wish.kind, wish.point)
    return done()


@blueprint.post("/reset")
def reset(session_id: int) -> Response:
    socket = form(One).socket
    meters.reset_meters(desk(), None if socket is None else [socket - 1])
    watch.forget_clips(desk(), session_id, socket)
    return done()


@blueprint.post("/knob/<int:socket>")
def knob(session_id: int, socket: int) -> Response:
    knobs.begin(desk(), session_id, socket)
    return done()


@blueprint.post("/knob/leave")
def leave_knob(session_id: int) -> Response:
    knobs.leave(desk(), session_id)
    return done()


@blueprint.post("/noise")
def measure_noise(session_id: int) -> Response:
    noise.measure(desk(), session_id)
    return said(f"Listening to the room for {noise.MEASURE_S:.0f} s. Everybody rests.")


@blueprint.post("/roomtone")
def room_tone(session_id: int) -> Response:
    noise.keep_room_tone(desk(), session_id)
    return said(f"Keeping {noise.TONE_S:.0f} s of room tone, behind the last take.")


@blueprint.post("/pairs/note")
def note_offset(session_id: int) -> Response:
    wish = form(Offset)
    pairing.note_offset(desk(), session_id, wish.first, wish.second, wish.samples, wish.cm)
    return said("Noted at the later row.")


@blueprint.post("/reference")
def reference(session_id: int) -> Response:
    tuning.set_reference(desk(), session_id, form(Reference).hz)
    return done()

"""Timing: what people do to buffer, rate and tempo. Every edit answers with nothing; pages fetch what changed."""

from typing import Literal

from flask import Blueprint, Response, jsonify, request
from pydantic import Field

from cattailer.core.errors import Refusal
from cattailer.core.gear.ladder import Use as UseOf
from cattailer.services.desk import standin
from cattailer.services.running import room
from cattailer.services.stages.timing import buffers, rates, tempo
from cattailer.web.forms import AtBar, Form, Text, desk, done, form, said

blueprint = Blueprint("timing_edits", __name__, url_prefix="/s/<int:session_id>/timing")


class Buffer(Form):
    use: UseOf = "tracking"
    period: int = Field(ge=1, le=1 << 20)


class Use(Form):
    use: UseOf


class Rate(Form):
    rate_hz: int = Field(ge=1, le=1 << 31)


class TempoAt(Form):
    bar: int = Field(default=1, ge=1, le=1 << 31)
    bpm: float = Field(allow_inf_nan=False)
    ramp: bool = False


class MeterAt(Form):
    bar: int = Field(default=1, ge=1, le=1 << 31)
    beats: int
    unit: int


class Sample(Form):
    sample: int


class Loop(Form):
    output: int
    socket: int
    way: Literal["cable", "headphone", "none"]


class Mood(Form):
    mood: Text


class Claim(Form):
    samples: int


@blueprint.post("/load")
def load(session_id: int) -> Response:
    buffers.measure_load(desk(), session_id)
    return done()


@blueprint.post("/buffer")
def buffer(session_id: int) -> Response:
    wish = form(Buffer)
    buffers.choose_buffer(desk(), session_id, wish.use, wish.period)
    return done()


@blueprint.post("/use")
def use(session_id: int) -> Response:
    buffers.use_for(desk(), session_id, form(Use).use)
    return done()


@blueprint.post("/rate")
def convert(session_id: int) -> Response:
    """Converts what has to be, in the background, then changes the rate; the page looks how far it is."""
    rates.begin(desk(), session_id, form(Rate).rate_hz)
    return done()


@blueprint.post("/rate/stop")
def stop_conversion(session_id: int) -> Response:
    rates.stop(desk(), session_id)
    return done()


@blueprint.post("/tempo")
def set_tempo(session_id: int) -> Response:
    wish = form(TempoAt)
    tempo.set_tempo(desk(), session_id, wish.bar, wish.bpm, wish.ramp)
    return done()


@blueprint.post("/meter")
def set_meter(session_id: int) -> Response:
    wish = form(MeterAt)
    tempo.set_meter(desk(), session_id, wish.bar, wish.beats, wish.unit)
    return done()


@blueprint.post("/tempo/remove")
def remove(session_id: int) -> Response:
    tempo.remove(desk(), session_id, form(AtBar).bar)
    return done()


@blueprint.post("/bar-one")
def bar_one(session_id: int) -> Response:
    tempo.set_bar_one(desk(), session_id, form(Sample).sample)
    return done()


@blueprint.post("/tap")
def tap(session_id: int) -> Response:
    """Times of taps in seconds, commas between; the answer is what they say so far."""
    try:
        times = [float(t) for t in request.form.get("times", "").split(",") if t]
    except ValueError as why:
        raise Refusal("These taps cannot be read; tap again.") from why
    found = tempo.tap(times)
    if found is None:
        return jsonify(words="Keep tapping: four at least.", bpm=None)
    words = f"{found.bpm:.1f} ± {found.spread_bpm:.1f}, from {found.used} of {found.taps} taps"
    return jsonify(words=words, bpm=round(found.bpm, 2), rounded=found.rounded)


@blueprint.post("/stand-in/loop")
def loop(session_id: int) -> Response:
    wish = form(Loop)
    return said(room.loop_back(desk(), session_id, wish.output, wish.socket, wish.way))


@blueprint.post("/stand-in/busy")
def busy(session_id: int) -> Response:
    standin.be_busy(desk(), form(Mood).mood)
    return done()


@blueprint.post("/stand-in/claim")
def claim(session_id: int) -> Response:
    room.claim(desk(), session_id, form(Claim).samples)
    return done()

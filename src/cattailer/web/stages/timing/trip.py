"""Timing: the round trip, measured and used."""

from flask import Blueprint, Response, render_template
from pydantic import Field

from cattailer.core.sound.probe import Way
from cattailer.services.running import frame
from cattailer.services.stages.timing import correction, roundtrip, tripfromtakes
from cattailer.web.forms import Form, desk, done, form, said

blueprint = Blueprint("timing_trip", __name__, url_prefix="/s/<int:session_id>/timing")


class Measure(Form):
    output: int = Field(ge=1, le=1000)
    socket: int = Field(ge=1, le=1000)
    way: Way = "cable"


class Verify(Measure):
    id: int


class TwoTakes(Form):
    played: int = Field(ge=1, le=1 << 31)
    returned: int = Field(ge=1, le=1 << 31)


class Number(Form):
    id: int = Field(ge=1, le=1 << 31)


@blueprint.post("/trip")
def measure(session_id: int) -> str:
    wish = form(Measure)
    found = roundtrip.measure(desk(), session_id, wish.output, wish.socket, wish.way)
    return render_template("timing/result.html", result=found, frame=frame.show(desk(), session_id))


@blueprint.post("/trip/takes")
def measure_takes(session_id: int) -> str:
    wish = form(TwoTakes)
    found = tripfromtakes.measure(desk(), session_id, wish.played, wish.returned)
    return render_template("timing/result.html", result=found, frame=frame.show(desk(), session_id))


@blueprint.post("/trip/use")
def use_trip(session_id: int) -> Response:
    correction.use(desk(), session_id, form(Number).id)
    return said("In use from now on. Measure once more to see it land.")


@blueprint.post("/trip/verify")
def verify_trip(session_id: int) -> str:
    """Uses a measurement that was just made, and measures once more."""
    wish = form(Verify)
    verdict = correction.use_and_verify(desk(), session_id, wish.id, wish.output, wish.socket, wish.way)
    return render_template(
        "timing/result.html", result=verdict.result, verdict=verdict, frame=frame.show(desk(), session_id)
    )


@blueprint.post("/trip/forget")
def forget_trip(session_id: int) -> Response:
    correction.forget(desk(), session_id)
    return done()

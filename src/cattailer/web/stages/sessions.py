"""The list of sessions."""

from flask import Blueprint, Response, redirect, render_template, url_for
from werkzeug.wrappers import Response as AnyResponse

from cattailer.services import sessions
from cattailer.web.stages.common import Form, Text, desk, form

blueprint = Blueprint("sessions", __name__)


class NewSession(Form):
    title: Text
    interface: Text
    rate_hz: int
    period: int
    bits: int


@blueprint.get("/")
def index() -> str:
    return render_template("sessions/list.html", cards=sessions.list_sessions(desk()), profiles=desk().profiles)


@blueprint.post("/sessions")
def create() -> AnyResponse:
    wanted = form(NewSession)
    made = sessions.create_session(desk(), wanted.title, wanted.interface, wanted.rate_hz, wanted.period, wanted.bits)
    return _go(url_for("sessions.enter", session_id=made))


@blueprint.get("/s/<int:session_id>/")
def enter(session_id: int) -> AnyResponse:
    """Opens the session in the engine and goes to its first stage."""
    sessions.open_session(desk(), session_id)
    return redirect(url_for("capture.stage", session_id=session_id))


def _go(address: str) -> AnyResponse:
    """htmx goes to the address by itself."""
    return Response(status=204, headers={"HX-Redirect": address})

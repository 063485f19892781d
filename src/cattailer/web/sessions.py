"""The list of sessions."""

from contextlib import suppress

from flask import Blueprint, Response, redirect, render_template, url_for
from werkzeug.wrappers import Response as AnyResponse

from cattailer.core.errors import Refusal
from cattailer.services.keeping import shelving
from cattailer.services.session import history, opening, pictures, sessions, templates
from cattailer.web.forms import Form, Text, desk, done, form

blueprint = Blueprint("sessions", __name__)


class NewSession(Form):
    title: Text
    template: Text = templates.EMPTY
    interface: Text = ""
    rate_hz: int = 0
    period: int = 0
    bits: int = 0


class Named(Form):
    name: Text
    was: Text | None = None


class Shelf(Form):
    shelf: Text = ""
    sure: bool = False


class Deleted(Form):
    knows: bool = False
    sure: bool = False


class Key(Form):
    key: Text


@blueprint.get("/")
def index() -> str:
    return render_template(
        "sessions/list.html", cards=sessions.list_sessions(desk()), profiles=desk().profiles,
        templates=templates.cards(desk()), pictures=pictures.of_templates(desk()),
    )


@blueprint.post("/sessions")
def create() -> AnyResponse:
    wanted = form(NewSession)
    hardware = sessions.Hardware(
        wanted.interface or None, wanted.rate_hz or None, wanted.period or None, wanted.bits or None
    )
    return _open(sessions.create_session(desk(), wanted.title, hardware, wanted.template))


@blueprint.post("/s/<int:session_id>/copy")
def copy(session_id: int) -> AnyResponse:
    return _open(sessions.copy_session(desk(), session_id, form(Named).name))


@blueprint.post("/s/<int:session_id>/title")
def rename(session_id: int) -> Response:
    wish = form(Named)
    sessions.rename_session(desk(), session_id, wish.name, wish.was)
    return done()


@blueprint.post("/s/<int:session_id>/shelf")
def shelve(session_id: int) -> AnyResponse:
    wish = form(Shelf)
    shelving.shelve(desk(), session_id, wish.shelf, wish.sure)
    return _go("/")


@blueprint.post("/s/<int:session_id>/delete")
def delete_for_good(session_id: int) -> AnyResponse:
    wish = form(Deleted)
    shelving.delete_for_good(desk(), session_id, wish.knows, wish.sure)
    return _go("/")


@blueprint.post("/s/<int:session_id>/template")
def save_template(session_id: int) -> Response:
    name = form(Named).name
    templates.save(desk(), session_id, name)
    return Response("Kept as a template.", 200, content_type="text/plain; charset=utf-8")


@blueprint.post("/templates/default")
def default_template() -> AnyResponse:
    templates.choose_default(desk(), form(Key).key)
    return _go("/")


@blueprint.post("/templates/remove")
def remove_template() -> AnyResponse:
    templates.remove(desk(), form(Key).key)
    return _go("/")


@blueprint.post("/s/<int:session_id>/<any(undo, redo):what>")
def step_back(session_id: int, what: str) -> Response:
    """The answer says what was undone or done again."""
    words = (history.undo if what == "undo" else history.redo)(desk(), session_id)
    text = f"{'Undone' if what == 'undo' else 'Done again'}: {words}"
    return Response(text, 200, content_type="text/plain; charset=utf-8")


@blueprint.post("/s/<int:session_id>/open")
def open_here(session_id: int) -> Response:
    """Runs the session in the engine, in place of the one that it runs."""
    opening.open_session(desk(), session_id)
    return done()


@blueprint.post("/s/<int:session_id>/enter")
def open_and_enter(session_id: int) -> AnyResponse:
    """Opens the session in the engine and goes to it."""
    if opening.has_profile(desk(), session_id):
        opening.open_session(desk(), session_id)
    return _go(url_for("sessions.enter", session_id=session_id))


@blueprint.get("/s/<int:session_id>/")
def enter(session_id: int) -> AnyResponse:
    """Goes to the session's first stage, without opening it: an address alone changes nothing. Where its interface's
    profile is gone, to the page that says so."""
    if not opening.has_profile(desk(), session_id):
        return redirect(url_for("patch.view", session_id=session_id, view="interface"))
    fresh = sessions.is_empty(desk(), session_id)
    return redirect(url_for("patch.stage" if fresh else "capture.stage", session_id=session_id))


def _open(session_id: int) -> AnyResponse:
    """A session that was made just now; when the engine cannot open it yet, its page says so."""
    with suppress(Refusal):
        opening.open_session(desk(), session_id)
    return _go(url_for("sessions.enter", session_id=session_id))


def _go(address: str) -> AnyResponse:
    """htmx goes to the address by itself."""
    return Response(status=204, headers={"HX-Redirect": address})

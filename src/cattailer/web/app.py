"""Putting the web together."""

import secrets
from contextlib import suppress
from datetime import UTC, datetime
from functools import partial

import structlog
from flask import Flask, Response, render_template, request
from pydantic import ValidationError
from sqlalchemy.exc import DataError, OperationalError, SQLAlchemyError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from werkzeug.exceptions import HTTPException, NotFound

from cattailer.core.errors import Refusal, Sure
from cattailer.core.wording import ago, counted
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.guests import Guests
from cattailer.services.desk.reach import Reach
from cattailer.services.session import opening
from cattailer.services.session.reading import revision_of
from cattailer.services.stages.listen.show import figure
from cattailer.web import unread
from cattailer.web.api import routes as api
from cattailer.web.care import Care
from cattailer.web.choices import CHOICES
from cattailer.web.deck.routes import blueprint as deck
from cattailer.web.devices.door import blueprint as door
from cattailer.web.devices.page import blueprint as devices
from cattailer.web.devices.player import blueprint as player
from cattailer.web.forms import MOST_ROWS
from cattailer.web.forms import desk as request_desk
from cattailer.web.front import asking
from cattailer.web.front.may import LIVE
from cattailer.web.sessions import blueprint as sessions
from cattailer.web.stages.capture.edits import blueprint as capture_edits
from cattailer.web.stages.capture.imports import blueprint as capture_imports
from cattailer.web.stages.capture.pages import blueprint as capture
from cattailer.web.stages.levels.edits import blueprint as levels_edits
from cattailer.web.stages.levels.pages import blueprint as levels
from cattailer.web.stages.levels.standin import blueprint as levels_room
from cattailer.web.stages.listen.edits import blueprint as listen_edits
from cattailer.web.stages.listen.pages import blueprint as listen
from cattailer.web.stages.patch.check import blueprint as patch_check
from cattailer.web.stages.patch.edits import blueprint as patch_edits
from cattailer.web.stages.patch.pages import blueprint as patch
from cattailer.web.stages.patch.setup import blueprint as patch_setup
from cattailer.web.stages.takes.binned import blueprint as binned
from cattailer.web.stages.takes.compared import blueprint as compared
from cattailer.web.stages.takes.cut import blueprint as cut
from cattailer.web.stages.takes.pages import blueprint as takes
from cattailer.web.stages.takes.sheet import blueprint as sheet
from cattailer.web.stages.timing.click import blueprint as timing_click
from cattailer.web.stages.timing.edits import blueprint as timing_edits
from cattailer.web.stages.timing.pages import blueprint as timing
from cattailer.web.stages.timing.trip import blueprint as timing_trip
from cattailer.web.strangers import keep_out

log = structlog.get_logger("web")
BLUEPRINTS = (
    sessions, deck, patch, patch_edits, patch_setup, patch_check, levels, levels_edits, levels_room, timing,
    timing_edits, timing_trip, timing_click, listen, listen_edits, capture, capture_edits, capture_imports, takes,
    sheet, cut, compared, binned, door, devices, player, api.blueprint,
)
DATABASE_AWAY = "The database does not answer. A capture that runs goes on and is kept. Try again in a moment."


def create_app(
    desk: Desk, care: Care | None = None, guests: Guests | None = None, reach: Reach | None = None
) -> Flask:
    """``guests`` are the devices that have a key; ``reach`` is where they find this machine."""
    app = Flask(__name__)
    app.config["MAX_CONTENT_LENGTH"] = 1 << 20
    app.config["SEND_FILE_MAX_AGE_DEFAULT"] = 3600
    guests = guests or Guests(desk, secrets.token_hex())
    care = care or Care(desk, guests)
    app.extensions |= {"desk": desk, "care": care, "guests": guests, "reach": reach or Reach()}
    app.jinja_env.globals.update(CHOICES, is_engineer=asking.is_engineer)
    app.jinja_env.filters.update(counted=counted, level=figure, ago=_ago)
    for blueprint in BLUEPRINTS:
        app.register_blueprint(blueprint)
    keep_out(app)
    app.before_request(asking.refuse)
    app.before_request(_refuse_numbers)
    app.before_request(_open_first)
    app.after_request(_name_revision)
    app.register_error_handler(Sure, _ask)
    app.register_error_handler(Refusal, lambda why: _say(why.message, why.status))
    app.register_error_handler(ValidationError, _say_invalid)
    for away in (OperationalError, PoolTimeout):
        app.register_error_handler(away, lambda _: _say(DATABASE_AWAY, 503))
    app.register_error_handler(DataError, lambda _: _say("There is nothing with that number.", 404))
    app.register_error_handler(HTTPException, _say_http)
    app.register_error_handler(Exception, _say_unforeseen)
    app.add_url_rule("/alive", "alive", partial(_alive, app))
    # A line is the front's; its address is known here too, so that nothing else gets it.
    app.add_url_rule("/s/<int:session_id>/live", LIVE, _no_page)
    return app


def _refuse_numbers() -> None:
    """What is no number that a row can have is no address. Raises NotFound."""
    if any(isinstance(value, int) and value > MOST_ROWS for value in (request.view_args or {}).values()):
        raise NotFound


def _open_first() -> None:
    """An engineer was asked, and wants this session in the engine before what they pressed is done."""
    session_id = (request.view_args or {}).get("session_id")
    answered = request.method == "POST" and request.form.get("sure") == opening.OPEN_IT
    if answered and session_id is not None and asking.is_engineer():
        opening.open_session(request_desk(), session_id)


def _name_revision(response: Response) -> Response:
    """So that a page that pressed something fetches its rows once, whichever of both it hears of first."""
    session_id = (request.view_args or {}).get("session_id")
    pressed = request.method == "POST" and "HX-Request" in request.headers and response.status_code < 400
    if pressed and session_id is not None:
        with suppress(Refusal, SQLAlchemyError):
            response.headers["Cattailer-Revision"] = str(revision_of(request_desk(), session_id))
    return response


def _ago(at: datetime | None) -> str:
    return ago(at, datetime.now(UTC))


def _no_page(session_id: int) -> str:
    raise NotFound


def _alive(app: Flask) -> tuple[str, int]:
    """Whether everything that works in the background still does; names what does not."""
    care: Care = app.extensions["care"]
    quiet = care.quiet()
    return ("alive", 200) if not quiet else (f"Does not come round any more: {', '.join(quiet)}.", 503)


def _say(message: str, status: int) -> tuple[str, int] | Response:
    """The message alone for htmx and scripts, a page for people who came by address."""
    if request.path.startswith(f"{api.PREFIX}/"):
        return api.refused(message, status)
    if request.headers.get("HX-Request") or not request.accept_mimetypes.accept_html:
        return Response(message, status, content_type="text/plain; charset=utf-8")
    return render_template("page/message.html", message=message), status


def _ask(why: Sure) -> Response:
    """A question that the page puts; asking again with ``sure`` does it."""
    asks = {"Cattailer-Yes": why.yes, "Cattailer-Answer": why.answer}
    return Response(why.message, why.status, asks, content_type="text/plain; charset=utf-8")


def _say_invalid(why: ValidationError) -> tuple[str, int] | Response:
    return _say(unread.sentence(why), 400)


def _say_http(why: HTTPException) -> tuple[str, int] | Response:
    words = {
        404: "There is nothing at this address. Go back to the sessions.",
        405: "That cannot be done at this address.",
        413: "That was too much to send at once (1 MB is the most). Nothing was changed.",
    }
    return _say(words.get(why.code or 500, why.description or why.name), why.code or 500)


def _say_unforeseen(why: Exception) -> tuple[str, int] | Response:
    log.exception("unforeseen")
    return _say("Something went wrong that nobody foresaw. What was captured is kept; the log has the details.", 500)

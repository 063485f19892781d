"""The door: where a device without a key types a code. It is all that such a device sees."""

from flask import Blueprint, Response, current_app, make_response, redirect, render_template, request
from pydantic import Field
from werkzeug.wrappers import Response as AnyResponse

from cattailer.core.access.roles import Role
from cattailer.core.errors import Refusal
from cattailer.services.desk.guests import Guests
from cattailer.web.forms import Form, form
from cattailer.web.front import asking
from cattailer.web.front.gate import COOKIE, DOOR, PLAYER_PAGE

blueprint = Blueprint("door", __name__, url_prefix=DOOR)
KEPT_S = 400 * 24 * 3600
"""As long as browsers keep a cookie."""


class ComeIn(Form):
    code: str = Field(max_length=200)
    name: str = Field(default="", max_length=200)


def guests() -> Guests:
    found: Guests = current_app.extensions["guests"]
    return found


@blueprint.get("")
def page() -> str:
    return _page("", "")


@blueprint.get("/<string:link>")
def scanned(link: str) -> str:
    """An address alone changes nothing: who came by a link still presses."""
    return _page(link, "")


@blueprint.post("")
def come_in() -> AnyResponse | tuple[str, int]:
    wish = form(ComeIn)
    try:
        device, text = guests().come_in(wish.code, wish.name, request.remote_addr or "", asking.openly())
    except Refusal as why:
        return _page("", why.message), why.status
    answer: Response = make_response(redirect(PLAYER_PAGE if device.role is Role.PLAYER else "/", 303))
    answer.set_cookie(COOKIE, text, max_age=KEPT_S, httponly=True, samesite="Strict", secure=request.is_secure)
    return answer


def _page(link: str, refused: str) -> str:
    return render_template(
        "devices/door.html", link=link, refused=refused, device=asking.device(),
        secure=asking.secure_address(DOOR) if asking.openly() else "",
    )

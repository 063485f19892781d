"""A player's page: one cue mix, on a phone."""

from flask import Blueprint, render_template
from werkzeug.exceptions import NotFound

from cattailer.core.errors import Refusal
from cattailer.services.stages.listen import ownmix
from cattailer.web.forms import desk
from cattailer.web.front import asking

blueprint = Blueprint("player", __name__, url_prefix="/player")


@blueprint.get("")
def page() -> str:
    return _page("devices/player.html")


@blueprint.get("/rows")
def rows() -> str:
    return _page("devices/playerrows.html")


@blueprint.get("/sound")
def sound() -> str:
    """The front plays it."""
    raise NotFound


def _page(template: str) -> str:
    device = asking.device()
    name = device.mix if device is not None else ""
    try:
        own, why = ownmix.own_mix(desk(), name), ""
    except Refusal as refused:
        own, why = None, refused.message
    return render_template(template, own=own, why=why, name=name, steps=ownmix.STEPS)

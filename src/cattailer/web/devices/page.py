"""The engineer's page of devices: who has a key, and how others come in."""

from flask import Blueprint, Response, current_app, render_template
from markupsafe import Markup
from pydantic import Field

from cattailer.core.access.roles import Role
from cattailer.services.desk import reach
from cattailer.services.desk.reach import Reach
from cattailer.services.stages.listen import ownmix
from cattailer.web.devices.door import guests
from cattailer.web.forms import Form, Number, Text, desk, done, form, said

blueprint = Blueprint("devices", __name__, url_prefix="/devices")


class Offered(Form):
    role: Role
    name: Text = ""
    mix: Text = ""


class Keyed(Form):
    role: Role
    name: Text = ""


class Put(Form):
    device: Number = Field(ge=1)


@blueprint.get("")
def page() -> str:
    return render_template(
        "devices/list.html", devices=guests().all(), reach=_reach(), mixes=ownmix.names(desk()),
    )


@blueprint.get("/rows")
def rows() -> str:
    return render_template("devices/rows.html", devices=guests().all())


@blueprint.post("/offer")
def offer() -> str:
    """A code that is good once and for two minutes, with its picture."""
    wish = form(Offered)
    made, way = guests().offer(wish.role, wish.name, wish.mix), _reach()
    link = way.link(wish.role, made) if way.host else ""
    picture, door = (Markup(reach.picture(link)), way.address(wish.role, "/door")) if link else ("", "")
    mix = wish.mix if wish.role is Role.PLAYER else ""
    return render_template(
        "devices/offer.html", offer=made, role=wish.role, mix=mix, link=link, picture=picture, door=door
    )


@blueprint.get("/offered/<string:link>")
def offered(link: str) -> Response | str:
    """Nothing while a code is good; after that, that it is not."""
    return done() if guests().is_good(link) else render_template("devices/spent.html")


@blueprint.post("/key")
def key() -> str:
    """For a script; shown once."""
    wish = form(Keyed)
    device, text = guests().make_key(wish.role, wish.name)
    return render_template("devices/key.html", device=device, key=text)


@blueprint.post("/put-out")
def put_out() -> Response:
    device = guests().put_out(form(Put).device)
    return said(f"“{device.name}” is out, and heard the last of it.")


def _reach() -> Reach:
    found: Reach = current_app.extensions["reach"]
    return found

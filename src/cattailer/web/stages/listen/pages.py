"""Listen: what ears get. The pages."""

from flask import Blueprint, render_template
from pydantic import Field

from cattailer.core.notes.guide import MOST_HELD_S
from cattailer.services.stages.listen import costing, effects, guiding, show
from cattailer.web.forms import Form, desk, query
from cattailer.web.shell import render

blueprint = Blueprint("listen", __name__, url_prefix="/s/<int:session_id>/listen")

VIEWS = {"ears": "Ears", "tracks": "Tracks", "effects": "Effects", "guide": "Guide notes"}


class Close(Form):
    """A cell to look at closely, or with no row a whole column."""

    end: str = Field(default="", max_length=40)
    mix: int = Field(default=0, ge=0, le=1 << 31)


class Effect(Form):
    end: str = Field(default="", max_length=40)
    kind: str = Field(default="", max_length=20)


@blueprint.get("/")
def stage(session_id: int) -> str:
    return _page(session_id, "ears", False)


@blueprint.get("/<any(ears, tracks, effects, guide):view>")
def view(session_id: int, view: str) -> str:
    return _page(session_id, view, False)


@blueprint.get("/<any(ears, tracks, effects, guide):view>/rows")
def rows(session_id: int, view: str) -> str:
    return _page(session_id, view, True)


@blueprint.get("/close")
def close(session_id: int) -> str:
    """One cell, or one column, with all that can be set of it."""
    wish, page = query(Close), show.show(desk(), session_id)
    return render_template(
        "listen/close.html", page=page, frame=page.frame, found=page.cell(wish.end, wish.mix), ear=page.ear(wish.mix)
    )


@blueprint.get("/effect")
def effect(session_id: int) -> str:
    """One effect, with all that can be set of it."""
    wish, page = query(Effect), show.show(desk(), session_id)
    found = effects.closely(page, wish.end, wish.kind, page.frame.rate_hz)
    return render_template(
        "listen/effect.html", page=page, frame=page.frame, effect=found, costs=costing.costs(desk(), session_id),
        high=effects.HIGH, wide=effects.WIDE,
    )


def _page(session_id: int, view: str, again: bool) -> str:
    page = show.show(desk(), session_id)
    more: dict[str, object] = {}
    if view == "effects":
        more["effect_rows"] = effects.rows_of(page)
    elif view == "guide":
        more["placed"], more["keys"] = guiding.placed(desk(), session_id), guiding.keyboard()
        more["held_s"] = MOST_HELD_S
    return render("listen", page.frame, view, again, page=page, views=VIEWS, scale=show.SCALE, **more)

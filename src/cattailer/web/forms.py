"""What every stage needs: the desk, and reading forms."""

import re
from typing import Annotated, TypeVar, get_origin

from flask import Response, current_app, request
from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

from cattailer.services.desk.desk import Desk
from cattailer.services.session.opening import OPEN_IT

MOST_TYPED = 20_000
MOST_ROWS = (1 << 31) - 1


class Form(BaseModel):
    """A form's fields; what is not a field is refused."""

    model_config = ConfigDict(extra="forbid")


F = TypeVar("F", bound=BaseModel)


def desk() -> Desk:
    found: Desk = current_app.extensions["desk"]
    return found


def form(model: type[F]) -> F:
    """What may come several times is a list in the model. Raises ValidationError."""
    typed: dict[str, object] = {**request.form.to_dict()}
    if typed.get("sure") == OPEN_IT:
        del typed["sure"]  # the session was opened before the form is read
    for name, field in model.model_fields.items():
        if get_origin(field.annotation) is list:
            typed[name] = request.form.getlist(name)
    return model.model_validate(typed)


def query(model: type[F]) -> F:
    """Raises ValidationError."""
    return model.model_validate(request.args.to_dict())


def done() -> Response:
    """Nothing to say: pages fetch what changed when they hear of it."""
    return Response(status=204)


def said(text: str) -> Response:
    """An answer in words, for what was pressed with ``data-tell``."""
    return Response(text, 200, content_type="text/plain; charset=utf-8")


def _empty_is_zero(text: object) -> object:
    return 0 if text == "" else text


_UNIT = re.compile(r"\s*(dbfs|db|hz|ms|%)\s*$")


def _plain_number(text: object) -> object:
    """People type "+34 dB", "34,5", "80 %" and a real minus sign."""
    if isinstance(text, str):
        return _UNIT.sub("", text.replace("−", "-").replace(",", ".").lower()).strip().removeprefix("+")
    return text


Bar = Annotated[int, BeforeValidator(_empty_is_zero)]
"""A bar's number; a field left empty is 0."""

Ticked = Annotated[int, BeforeValidator(_empty_is_zero), Field(ge=0, le=MOST_ROWS)]
"""The number of a row that is ticked; an empty one, which is 0, says that it was asked for and nothing is."""

Decibels = Annotated[float, BeforeValidator(_plain_number), Field(allow_inf_nan=False, ge=-200, le=200)]
Figure = Annotated[float, BeforeValidator(_plain_number), Field(allow_inf_nan=False, ge=-1e5, le=1e5)]
"""A setting in any unit, typed as people type it."""
Number = Annotated[int, Field(ge=0, le=MOST_ROWS)]
"""The number of a row."""
List = Annotated[str, Field(max_length=1 << 20)]
Text = Annotated[str, Field(max_length=MOST_TYPED)]


class AtBar(Form):
    bar: int


class Value(Form):
    value: Text


class Exchange(Form):
    """Two sockets."""

    one: int
    other: int

"""What every stage needs: the desk, and reading forms."""

from typing import Annotated, TypeVar

from flask import current_app, request
from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

from cattailer.services.desk import Desk

MOST_TYPED = 20_000


class Form(BaseModel):
    """A form's fields; what is not a field is refused."""

    model_config = ConfigDict(extra="forbid")


F = TypeVar("F", bound=BaseModel)


def desk() -> Desk:
    found: Desk = current_app.extensions["desk"]
    return found


def form(model: type[F]) -> F:
    """Raises ValidationError."""
    return model.model_validate(request.form.to_dict())


def query(model: type[F]) -> F:
    """Raises ValidationError."""
    return model.model_validate(request.args.to_dict())


def _plain_number(text: object) -> object:
    """People type "+34 dB", "34,5" and a real minus sign."""
    if isinstance(text, str):
        return text.replace("−", "-").replace(",", ".").lower().removesuffix("db").strip().removeprefix("+")
    return text


Decibels = Annotated[float, BeforeValidator(_plain_number), Field(allow_inf_nan=False, ge=-200, le=200)]
List = Annotated[str, Field(max_length=1 << 20)]
Text = Annotated[str, Field(max_length=MOST_TYPED)]

"""What a page may ask for over its line."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, model_validator

UNKNOWN_WISH = "The page asked for something that is not known here. Reload it."

Key = Annotated[str, Field(max_length=40)]
Control = tuple[Key, Key, Key, Annotated[float, Field(allow_inf_nan=False, ge=-1e5, le=1e5)]]
"""(end, target, what, value or by how much), as in ``core.mix.moving`` and ``core.mix.stepping``."""


class Wish(BaseModel):
    """``listen`` to a mix (0: none), ``tune`` the row of a socket (0: none), ``levels`` while that stage is open,
    ``move`` controls, ``step`` them up or down from where they are, ``settle`` when the hand lets go of them, the
    ``keys`` of the guide notes that are held, the ``meters`` that are in sight, ``calm`` for fewer frames where less
    motion is wanted, and ``ack``: the number of the newest frame that was taken."""

    model_config = ConfigDict(extra="forbid", strict=True)
    listen: int | None = Field(default=None, ge=0, le=1 << 31)
    tune: int | None = Field(default=None, ge=0, le=1000)
    levels: bool = False
    move: list[Control] = Field(default=[], max_length=64)
    step: list[Control] = Field(default=[], max_length=64)
    settle: bool = False
    keys: list[Annotated[int, Field(ge=0, le=127)]] | None = Field(default=None, max_length=16)

    calm: bool | None = None
    meters: list[Key] | None = Field(default=None, max_length=200)
    ack: int | None = Field(default=None, ge=0, le=1 << 53)

    @model_validator(mode="after")
    def _asks(self) -> "Wish":
        if not self.model_fields_set:
            raise ValueError("nothing is wished for")
        return self

"""What is asked and answered, as JSON. ``docs/api.md`` is made from these."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from cattailer.core.takes.marks import MARKER
from cattailer.core.transport import STATES
from cattailer.web.forms import Number

Sample = Annotated[int, Field(ge=0, le=1 << 60)]


class Asked(BaseModel):
    """What is not a field is refused."""

    model_config = ConfigDict(extra="forbid")


class Nothing(Asked):
    """No fields."""


class Pressed(Asked):
    pressed: Sample | None = Field(
        default=None, description="The ring sample at which somebody pressed, from `state`; what was later is not kept."
    )


class Where(Asked):
    """One of the two."""

    position_samples: int | None = Field(default=None, ge=-(1 << 60), le=1 << 60, description="On the timeline.")
    bar: int | None = Field(default=None, ge=1, le=100_000, description="To its first beat.")


class Arm(Asked):
    tracks: list[Number] = Field(default=[], max_length=1000, description="Ids from `tracks`; empty for all.")
    armed: bool


class Mark(Asked):
    kind: str = Field(default=MARKER, max_length=20, description="`marker`, `note` or `mishap`.")
    text: str = Field(default="", max_length=2000)
    author: str = Field(default="", max_length=80)


class Pedal(Asked):
    capture: bool = Field(default=False, description="Capture instead of rolling.")


class Most(Asked):
    most: int = Field(default=20, ge=1, le=200, description="So many at most.")


class State(BaseModel):
    session: int = Field(description="The number of the session that is open.")
    title: str
    state: str = Field(description=", ".join(f"`{state}`" for state in STATES) + ".")
    rate_hz: int
    position_samples: int = Field(description="On the timeline.")
    ring_sample: int = Field(description="What `pressed` is counted in.")
    clock: str
    bar: int
    beat: int
    run: str | None = Field(description="The uuid of what is captured.")
    take: int = Field(description="The number that what is captured gets, 0 while nothing is.")
    dropouts: int = Field(description="Since the interface was opened.")


class Track(BaseModel):
    id: int
    name: str
    armed: bool
    muted: bool
    soloed: bool
    sockets: list[int] = Field(description="Inputs of the interface that feed it, as printed.")


class Tracks(BaseModel):
    tracks: list[Track]


class Level(BaseModel):
    socket: int = Field(description="As printed on the interface.")
    peak_dbfs: float
    held_dbfs: float = Field(description="The highest peak since meters were reset.")
    rms_dbfs: float
    clips: int
    zone: str = Field(description="Against the target window: as the page colours it.")


class Levels(BaseModel):
    levels: list[Level]


class Run(BaseModel):
    number: int
    began_at: str = Field(description="ISO 8601.")
    start_samples: int = Field(description="On the timeline.")
    samples: int
    rate_hz: int
    dropouts: int
    rating: str
    message: str
    recovered: bool


class Runs(BaseModel):
    runs: list[Run]


class Words(BaseModel):
    said: str


class Done(BaseModel):
    state: str = Field(description="Of the transport, after it.")

"""What is asked of the engine, and what it answers. Both sides import it from here, and ``telemetry`` beside it.

A command travels over a request socket as msgpack: its name, and its fields as plain values.
"""

import time
from dataclasses import asdict, dataclass, field
from typing import Any, ClassVar, Generic, TypeVar

from pydantic import TypeAdapter, ValidationError

from cattailer.core.errors import Refusal
from cattailer.core.mix.costs import Costs
from cattailer.core.standin import RoomState
from cattailer.engine.messages.answers import Loads, Printed, Probed, Sound, Status, Stopped

A_co = TypeVar("A_co", covariant=True)
AWAY = "away"
"""The state of an engine that does not answer."""


CHANNELS = DESK, TRANSPORT, MOVES, BESIDE, PULSE = "desk", "transport", "moves", "beside", "pulse"
"""Each has a socket and a thread of its own: what is asked at the desk, what moves the timeline, controls that move,
what takes long, and whether the process is alive at all."""


class Command(Generic[A_co]):
    """``answer`` is the type that the engine answers with, ``channel`` where it is asked."""

    answer: ClassVar[Any] = None
    channel: ClassVar[str] = DESK


@dataclass(frozen=True)
class Ping(Command[str]):
    answer: ClassVar[Any] = str
    channel: ClassVar[str] = PULSE


@dataclass(frozen=True)
class GetStatus(Command[Status]):
    answer: ClassVar[Any] = Status
    channel: ClassVar[str] = TRANSPORT


@dataclass(frozen=True)
class RunPlan(Command[Status]):
    """Runs a plan, as ``Plan.to_dict`` gives it: swaps it in, or opens the interface again for other hardware.

    ``pieces`` are as ``Plan.plain_pieces`` gives them; with ``base`` those of the tracks ``changed`` alone, the others
    being as the engine has them of that revision of the takes. None means those that the engine has, if they are of
    the same session and ``takes_revision``; else it is refused with ``NEEDS_PIECES``.
    """

    plan: dict[str, Any]
    pieces: list[list[Any]] | None = None
    base: int | None = None
    changed: list[int] = field(default_factory=list)
    answer: ClassVar[Any] = Status


NEEDS_PIECES = 428
"""The status of that refusal."""


@dataclass(frozen=True)
class Roll(Command[Status]):
    """After ``count_bars`` of count-in, if the timeline stands still; for so many samples, or until it is stopped."""

    count_bars: int = 0
    samples: int | None = None
    answer: ClassVar[Any] = Status
    channel: ClassVar[str] = TRANSPORT


@dataclass(frozen=True)
class Stop(Command[Stopped]):
    """Answered at once; the files of a run are closed beside. Refused when another session is open.

    ``pressed`` is the ring sample at which somebody pressed, as a page saw it, so that the run ends there.
    """

    session: int
    pressed: int | None = None
    answer: ClassVar[Any] = Stopped
    channel: ClassVar[str] = TRANSPORT


@dataclass(frozen=True)
class Locate(Command[Status]):
    """Refused when another session is open."""

    session: int
    position: int
    answer: ClassVar[Any] = Status
    channel: ClassVar[str] = TRANSPORT


@dataclass(frozen=True)
class Capture(Command[Status]):
    """``header`` is that of the first run, as ``journal.plain_header`` gives it; ``course`` has the fields of
    ``core.takes.course.Course``; ``named`` is how further files are called, their pattern and the session's code.
    ``pressed`` is the ring sample at which somebody pressed, so that a run which begins while rolling begins there.
    Where the disk fails it goes on in ``fallback``, if that is not empty. A capture that waits for a second press
    begins, whatever is said here."""

    header: dict[str, Any]
    folder: str
    stem: str
    course: dict[str, Any] = field(default_factory=dict)
    count_bars: int = 0
    pressed: int | None = None
    named: list[str] = field(default_factory=list)
    fallback: str = ""
    answer: ClassVar[Any] = Status
    channel: ClassVar[str] = TRANSPORT


@dataclass(frozen=True)
class PunchOut(Command[Status]):
    """What is captured ends, and the timeline rolls on; ``pressed`` as for ``Stop``."""

    session: int
    pressed: int | None = None
    answer: ClassVar[Any] = Status
    channel: ClassVar[str] = TRANSPORT


@dataclass(frozen=True)
class JoinRun(Command[Status]):
    """The tracks of a header are captured with what is captured now, from its beginning if that is still held."""

    header: dict[str, Any]
    named: list[str] = field(default_factory=list)
    answer: ClassVar[Any] = Status
    channel: ClassVar[str] = BESIDE


@dataclass(frozen=True)
class LeaveRun(Command[Status]):
    """These tracks end here; what is captured goes on without them."""

    tracks: list[int]
    answer: ClassVar[Any] = Status
    channel: ClassVar[str] = BESIDE


@dataclass(frozen=True)
class KeepHeard(Command[Status]):
    """Keeps what came in lately as a run. Header and folder as for ``Capture``; the engine says where it begins."""

    header: dict[str, Any]
    folder: str
    stem: str
    answer: ClassVar[Any] = Status
    channel: ClassVar[str] = BESIDE


@dataclass(frozen=True)
class MoveControls(Command[None]):
    """Controls that somebody moves: (end, target, what, value), as in ``core.mix.moving``; then those that are stepped:
    (end, target, what, by). They are heard at once, and hold until a plan comes that says the same, or nobody has moved
    them for a while. Refused, all of them, where one of them cannot be."""

    session: int
    moves: list[tuple[str, str, str, float]]
    steps: list[tuple[str, str, str, float]] = field(default_factory=list)
    channel: ClassVar[str] = MOVES


@dataclass(frozen=True)
class HoldKeys(Command[None]):
    """Guide notes by hand, as MIDI numbers: they sound in cue mixes until others do, or none."""

    session: int
    pitches: list[int]
    channel: ClassVar[str] = MOVES


@dataclass(frozen=True)
class PrintClick(Command[Printed]):
    """Writes ``samples`` of click from the header's start on as a run, while everything else goes on."""

    header: dict[str, Any]
    folder: str
    stem: str
    samples: int
    answer: ClassVar[Any] = Printed
    channel: ClassVar[str] = BESIDE


@dataclass(frozen=True)
class ResetMeters(Command[None]):
    """Forgets held peaks and clips, of ``rows`` (source channels) or of all."""

    rows: list[int] | None = None


@dataclass(frozen=True)
class ChooseMeters(Command[None]):
    """What is metered, for all pages."""

    kind: str
    point: str


@dataclass(frozen=True)
class GetSound(Command[Sound]):
    """Of some source channels, from ring sample ``start`` on if it is still held, else as far back as there is; at most
    ``count`` samples, the newest if ``start`` is None."""

    rows: list[int]
    count: int
    start: int | None = None
    answer: ClassVar[Any] = Sound


@dataclass(frozen=True)
class PlayProbe(Command[Probed]):
    """Plays the round-trip signal at an output, counted from 0."""

    output: int
    answer: ClassVar[Any] = Probed


@dataclass(frozen=True)
class MeasureLoad(Command[Loads]):
    answer: ClassVar[Any] = Loads
    channel: ClassVar[str] = BESIDE


@dataclass(frozen=True)
class MeasureEffects(Command[Costs]):
    answer: ClassVar[Any] = Costs
    channel: ClassVar[str] = BESIDE


@dataclass(frozen=True)
class AskRoom(Command[RoomState]):
    """A command of the stand-in's panel."""

    name: str
    arguments: dict[str, Any] = field(default_factory=dict)
    answer: ClassVar[Any] = RoomState


COMMANDS: dict[str, type[Command[Any]]] = {
    kind.__name__: kind for kind in (
        Ping, GetStatus, RunPlan, Roll, Stop, Locate, Capture, PunchOut, JoinRun, LeaveRun, KeepHeard, MoveControls,
        HoldKeys, PrintClick, ResetMeters, ChooseMeters, GetSound, PlayProbe, MeasureLoad, MeasureEffects, AskRoom,
    )
}
_READ = {name: TypeAdapter(kind) for name, kind in COMMANDS.items()}
_ANSWERS = {name: TypeAdapter(kind.answer) for name, kind in COMMANDS.items()}


def address_of(commands: str, channel: str) -> str:
    """The socket of a channel."""
    return commands if channel == DESK else f"{commands}-{channel}"


def plain(command: Command[Any], timeout_s: float) -> dict[str, Any]:
    """As a command travels: nobody waits for its answer any longer than that. Its fields are plain values already."""
    until = time.monotonic() + timeout_s
    return {"command": type(command).__name__, "arguments": vars(command), "until": until}


def too_late(message: dict[str, Any]) -> bool:
    """Whether nobody waits for the answer any more. The monotonic clock is one for all processes of a machine."""
    until = message.get("until")
    return isinstance(until, float) and time.monotonic() > until


def command_of(message: Any) -> Command[Any]:
    """Raises Refusal for a command that is not known, or that cannot be read."""
    name = message.get("command") if isinstance(message, dict) else None
    if name not in _READ:
        raise Refusal(f"The engine knows no command {name!r}.")
    try:
        return _READ[name].validate_python(message.get("arguments") or {})
    except ValidationError as why:
        raise Refusal("The engine could not read that command.") from why


def plain_answer(answer: Any) -> Any:
    """As an answer travels."""
    return answer if answer is None or isinstance(answer, str) else asdict(answer)


def answer_of(command: Command[A_co], value: Any) -> A_co:
    answer: A_co = _ANSWERS[type(command).__name__].validate_python(value)
    return answer

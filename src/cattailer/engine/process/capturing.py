"""What the commands do that write runs: capture, punch out, and keep what was heard."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar

from pydantic import TypeAdapter, ValidationError

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.takes.course import LEAST_PASS_S, NOW, ROLLS, Course
from cattailer.core.transport import STOPPED, WAITING
from cattailer.engine.block.engine import Engine
from cattailer.engine.messages import commands
from cattailer.engine.runs import joining, lookback
from cattailer.engine.runs.captures import Captures
from cattailer.engine.runs.making import Making, make_lead_in, make_run
from cattailer.engine.runs.soundstarted import SoundCaptures
from cattailer.media import journal
from cattailer.media.runheader import Named

MEDIA_GONE = (
    "The media folder is not where it was, so nothing was captured. Is its disk there? Put it back; nothing is made "
    "anew."
)
_COURSE = TypeAdapter(Course)
T = TypeVar("T")


def capture(engine: Engine, quiet: list[str], command: commands.Capture) -> None:
    """Opens the files, then captures from where the timeline was when the command came. Raises Refusal."""
    if engine.transport.state == WAITING:
        go_on(engine)
        return
    if engine.transport.capturing:
        raise NotNow("A capture is already running.")
    course = _course(engine, command.course)
    if engine.transport.position < 0 and course.start is None:
        raise NotNow("A capture begins at 0 of the timeline or later. Go to bar 1 (Home), then capture.")
    header = _header(engine, quiet, command.header)
    stood = engine.between_blocks(lambda: engine.stands(command.pressed, not course.loops))
    making = Making(header, Path(command.folder), command.stem, Named(*command.named), command.count_bars,
                    Path(command.fallback) if command.fallback else None)
    kind = Captures if course.begin in (NOW, ROLLS) else SoundCaptures
    made = kind(engine, course, making, stood)
    try:
        opening(made.open)
        if engine.transport.state == STOPPED:
            engine.look_at(made.positions)
        engine.between_blocks(made.begin)
    except BaseException:
        made.take_away()
        engine.soon(engine.take_up_loop)
        raise
    finally:
        engine.look_at([])


def _course(engine: Engine, plain: dict[str, Any]) -> Course:
    """Raises Refusal for one that cannot be."""
    try:
        course = _COURSE.validate_python(plain)
    except ValidationError as why:
        raise Refusal("A capture cannot go that way; nothing was captured.") from why
    first = course.start if course.first is None else course.first
    if first is not None and course.until is not None:
        length, rate = course.until - first, engine.plan.rate_hz
        if length <= 0 or first < 0:
            raise NotNow("The range to capture in is empty, so nothing was captured. Choose another.")
        if course.loops and length < LEAST_PASS_S * rate:
            raise NotNow(
                f"That range lasts {1000 * length / rate:.1f} ms; a pass of a loop that is captured lasts at least "
                "half a second. Nothing was captured. Make the range longer."
            )
    return course


def go_on(engine: Engine) -> None:
    """A capture that waits for a press begins. Raises NotNow where it waits for something else."""
    waiting = _latest(engine)
    if waiting is None:
        raise NotNow("Nothing waits to be captured.")
    engine.look_at(waiting.positions)
    try:
        engine.between_blocks(waiting.go_on)
    finally:
        engine.look_at([])


def punch_out(engine: Engine, command: commands.PunchOut) -> None:
    engine.between_blocks(lambda: engine.punch_out(command.pressed))


def join(engine: Engine, quiet: list[str], command: commands.JoinRun) -> None:
    """Raises NotNow where nothing is captured."""
    header, course = _header(engine, quiet, command.header), _latest(engine)
    if course is None or not engine.transport.capturing:
        raise NotNow("The capture has ended, so that track was not captured with it. It is armed for the next.")
    opening(lambda: joining.join(course, header.files))


def leave(engine: Engine, command: commands.LeaveRun) -> None:
    """Raises NotNow where no other track would go on. Where nothing is captured any more nothing is done."""
    course = _latest(engine)
    if course is not None and engine.transport.capturing:
        joining.leave(course, set(command.tracks))


def _latest(engine: Engine) -> Captures | None:
    return next((c for c in reversed(engine.courses) if isinstance(c, Captures)), None)


def _header(engine: Engine, quiet: list[str], plain: dict[str, Any]) -> journal.RunHeader:
    """Raises NotNow where nothing can be written for that session now."""
    if {"write", "keep"} & set(quiet):
        raise NotNow("The disk does not answer, so nothing was captured. Look at the disk that holds the media.")
    header = journal.header_of(plain)
    if header.session != engine.plan.session:
        raise NotNow("Another session is open in the engine. Open this one first.")
    if header.rate_hz != engine.plan.rate_hz:
        raise NotNow("The engine runs at another sample rate than the session. Open the session again, then capture.")
    return header


def keep(engine: Engine, quiet: list[str], command: commands.KeepHeard) -> None:
    """Raises Refusal."""
    if engine.transport.capturing:
        raise NotNow("A capture runs, so what is played is kept anyway.")
    header = _header(engine, quiet, command.header)
    what = engine.between_blocks(lambda: lookback.held(engine))
    run = opening(lambda: make_run(engine, Path(command.folder), command.stem, replace(header, start=what.start)))
    before = None
    try:
        before = opening(lambda: make_lead_in(engine, run, what.lead)) if what.lead else None
        engine.between_blocks(lambda: lookback.keep(engine, run, before, what))
    except BaseException:
        for opened in filter(None, (before, run)):
            opened.files.take_away()
        raise


def opening(open_files: Callable[[], T]) -> T:
    """Raises Refusal, in the user's words, where files cannot be opened."""
    try:
        return open_files()
    except FileExistsError as why:
        name = Path(why.filename).name
        raise NotNow(f"A file called {name} is already there, so nothing was captured.") from why
    except FileNotFoundError as why:
        raise Refusal(MEDIA_GONE, 503) from why
    except OSError as why:
        what = why.strerror or str(why)
        raise Refusal(f"The media folder cannot be written ({what}), so nothing was captured.", 503) from why

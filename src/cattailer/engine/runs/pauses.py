"""Passes with a pause between them: the timeline stands meanwhile, and each is counted in."""

from collections.abc import Callable, Iterator
from typing import Any, Protocol

from cattailer.core.takes.course import Course
from cattailer.core.transport import WAITING
from cattailer.engine.block.engine import Engine
from cattailer.engine.sources.click import Count
from cattailer.engine.writing.runwriter import RunWriter

FOREVER = 1 << 62


class Passing(Protocol):
    """What a capture is asked for."""

    engine: Engine
    course: Course
    spans: Iterator[tuple[int, int | None]]
    going: bool
    until: int
    stray: list[RunWriter]

    def make_next(self, start: int, first: int | None = None) -> RunWriter | None: ...
    def make_count(self) -> Count | None: ...
    def soon(self, ask: Callable[[], Any]) -> None: ...
    def go_from(self, start: int, samples: int | None) -> None: ...
    def go(self, count: Count | None) -> None: ...


class Pauses:
    """``pump`` is called by the thread that opens files; what begins with an underscore runs in the block path."""

    def __init__(self, captures: Passing) -> None:
        self._captures = captures
        self._paused_at: int | None = None
        self._resuming = False

    @property
    def standing(self) -> bool:
        """Whether the timeline stands between two passes."""
        return self._paused_at is not None

    def pump(self) -> None:
        captures = self._captures
        if captures.engine.transport.state != WAITING or self._resuming:
            return
        written = captures.engine.ring.written
        if self._paused_at is None:
            self._paused_at, span = written, next(captures.spans, None)
            if span is None or (run := captures.make_next(span[0])) is None:
                captures.going = False
                captures.soon(captures.engine.stop)
                return
            captures.go_from(*span)
            captures.soon(lambda: self._ready(run))
        elif written >= self._paused_at + captures.course.pause:
            self._resuming, count = True, captures.make_count()
            captures.soon(lambda: self._resume(count))

    def _ready(self, run: RunWriter) -> None:
        """It will begin after the pause, unless somebody has stopped meanwhile."""
        if self._captures.until < FOREVER:
            self._captures.stray.append(run)
        else:
            self._captures.engine.add_run(run)

    def _resume(self, count: Count | None) -> None:
        self._resuming, self._paused_at = False, None
        if self._captures.engine.transport.state == WAITING and self._captures.until == FOREVER:
            self._captures.go(count)

"""What goes on below another folder when the disk of a run fails: nothing that came in meanwhile is lost."""

from dataclasses import replace
from typing import Protocol

from cattailer.engine.block.engine import Engine
from cattailer.engine.runs.making import Making
from cattailer.engine.writing.runwriter import RunWriter
from cattailer.media.journal import RunHeader

OVERLAP_S = 2
"""What was written so shortly before may not have come to the disk that failed; it is written once more."""


class Capturing(Protocol):
    """What a capture is asked for."""

    engine: Engine
    making: Making
    header: RunHeader
    runs: list[RunWriter]

    def make(self, before: RunHeader, start: int, first: int | None) -> RunWriter | None: ...
    def go_on_in(self, new: RunWriter, old: RunWriter, first: int) -> None: ...
    def make_ready(self, new: RunWriter, old: RunWriter) -> None: ...


class Fallback:
    """The runs of one capture that failed, each taken up by another. Called by the thread that opens files, until
    nothing is left to be taken up."""

    def __init__(self) -> None:
        self._seen: set[str] = set()
        self._failed: list[RunWriter] = []

    def waits(self, runs: list[RunWriter]) -> bool:
        """Whether one of these failed, and is not taken up yet."""
        return bool(self._failed) or any(
            run.message and run.fallback is not None and run.header.run not in self._seen for run in runs
        )

    def forget(self) -> None:
        """It cannot go on elsewhere either."""
        self._failed = []

    def take_up(self, captures: Capturing, failed: list[RunWriter]) -> None:
        """``failed`` are all that failed so far."""
        for run in failed:
            if run.header.run not in self._seen:
                self._seen.add(run.header.run)
                self._failed.append(run)
        ready = [run for run in captures.runs if run.header.run not in self._seen and run.fallback is not None]
        if self._failed:
            gave_way = [run for run in ready if run.give_way()]
            self._seen.update(run.header.run for run in gave_way)
            self._failed += gave_way
        if captures.making.fallback is not None:
            captures.making = captures.making.elsewhere()
        while self._failed and self._go_on(captures, self._failed[0]):
            self._failed.pop(0)

    @staticmethod
    def _go_on(captures: Capturing, old: RunWriter) -> bool:
        """Whether the files could be opened in which it goes on."""
        first, there = old.first, old.whole
        skipped = max(0, there - OVERLAP_S * captures.engine.plan.rate_hz)
        before = replace(
            old.header, files=captures.header.files, number=captures.header.number,
            pass_number=old.header.pass_number - 1, note=f"goes on where the disk of take {old.header.number} failed",
        )
        held = None if first is None else first + skipped
        new = captures.make(before, old.header.start + skipped, captures.engine.ring.written if held is None else held)
        if new is None:
            return False
        captures.header = replace(captures.header, number=new.header.number)
        # What was made ready for later stays the last.
        later = [run for run in captures.runs if run.first is None and run not in (new, old)]
        captures.runs = [*(run for run in captures.runs if run not in (new, *later)), new, *later]
        new.held = old.held
        if held is None:
            captures.make_ready(new, old)
        else:
            captures.go_on_in(new, old, held)
        return True

"""Tracks that are armed while a capture runs join it, and those that are disarmed leave it."""

from collections.abc import Collection, Sequence
from dataclasses import replace
from datetime import datetime

from cattailer.core.errors import NotNow
from cattailer.engine.runs.captures import Captures
from cattailer.engine.runs.making import make_run
from cattailer.engine.runs.pauses import FOREVER
from cattailer.engine.writing.runwriter import RunWriter
from cattailer.media.journal import LATE_MARK, RunFile
from cattailer.media.runheader import following

MARGIN_S = 3
"""What is so close to being overwritten is not begun with any more."""


def join(captures: Captures, files: Sequence[RunFile]) -> None:
    """They are captured from the beginning of what is captured now, as far back as that is held, and with all that
    follows. Raises OSError; NotNow for one that left this capture before."""
    engine, known = captures.engine, {f.track for f in captures.header.files}
    if gone := [f.name for f in files if any(f.track in run.left for run in engine.open_runs())]:
        raise NotNow(
            f"{' and '.join(gone)} cannot rejoin the capture in which it was disarmed. It is armed for the next one."
        )
    new = replace(captures.header, files=tuple(f for f in files if f.track not in known))
    if not new.files:
        return
    mark = f"{LATE_MARK}{len(known)}"
    held = engine.ring.oldest and engine.ring.oldest + MARGIN_S * engine.plan.rate_hz
    for run in [r for r in captures.runs if not r.ended and r.first is not None]:
        of, begins = run.header, run.first or 0
        first = max(begins, held)
        named = following(new, of.number, datetime.now().astimezone(), captures.making.named)
        header = replace(
            of, run=f"{of.run}{mark}", joins=of.run, files=named.files, start=of.start + first - begins
        )
        late = make_run(engine, run.files.folder, f"{run.files.stem}{mark}", header)
        captures.soon(lambda late=late, run=run, first=first: _place(captures, late, run, first))  # type: ignore[misc]
    captures.header = replace(captures.header, files=(*captures.header.files, *new.files))


def leave(captures: Captures, tracks: Collection[int]) -> None:
    """They end here, also in what was made ready for the next pass; the others go on. Raises NotNow where none
    would."""
    left = tuple(f for f in captures.header.files if f.track not in tracks)
    if not left:
        raise NotNow("No other track is being captured, so these stay armed. To end the capture, press Stop capturing.")
    captures.header = replace(captures.header, files=left)
    for run in captures.engine.open_runs():
        run.leave([t for t in tracks if any(f.track == t for f in run.header.files)], captures.engine.ring.written)


def _place(captures: Captures, late: RunWriter, run: RunWriter, first: int) -> None:
    """In the block path."""
    if captures.until < FOREVER or run.ended:
        captures.stray.append(late)
        return
    captures.engine.add_run(late)
    captures.engine.place_run(late, first, None if run.stop is None else max(0, run.stop - first))

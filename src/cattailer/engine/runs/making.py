"""What is made ready, off the block path, before a run begins."""

import errno
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

from cattailer.engine.block.engine import Engine
from cattailer.engine.messages.telemetry import Telemetry
from cattailer.engine.sources.click import Count
from cattailer.engine.writing.prints import RunPrints, printing
from cattailer.engine.writing.runwriter import RunWriter
from cattailer.media import journal
from cattailer.media.runheader import Named, following

AS_USUAL = Named()
MOST_TAKEN = 1000


@dataclass(frozen=True)
class Making:
    """What runs are made from: the header of the first, where its files go, how further files are called, and how many
    bars are counted in. Where the disk fails it goes on below ``fallback``, if there is one."""

    header: journal.RunHeader
    folder: Path
    stem: str
    named: Named = AS_USUAL
    count_bars: int = 0
    fallback: Path | None = None

    def elsewhere(self) -> "Making":
        """The same below the fallback folder."""
        assert self.fallback is not None
        return replace(self, folder=self.fallback / self.stem, fallback=None)

    def place(self, number: int) -> tuple[Path, str]:
        """Folder and stem of another run, beside the first."""
        stem = f"run-{number:03}"
        return (self.folder.parent / stem if self.folder.name == self.stem else self.folder), stem


def make_run(engine: Engine, folder: Path, stem: str, header: journal.RunHeader) -> RunWriter:
    """Opens the files of a run; nothing is captured yet. Raises OSError."""
    header = replace(
        header, period=engine.plan.period, round_trip_samples=engine.round_trip_samples,
        claimed_samples=engine.driver.latency.round_trip_samples,
    )
    tell = (lambda _: None) if header.lead_in_of else engine.events.append  # nobody waits for these
    run = RunWriter(folder, stem, header, engine.ring, tell, engine.disk)
    run.prints = _prints(engine, run, tell)
    return run


def make_following(
    engine: Engine, making: Making, before: journal.RunHeader, start: int, goes_on: bool = False
) -> RunWriter:
    """Opens the run after another, under the next number that is free. Raises OSError."""
    for number in range(before.number + 1, before.number + MOST_TAKEN):
        made = following(before, number, datetime.now().astimezone(), making.named)
        header = replace(made, start=start, goes_on=goes_on)
        with suppress(FileExistsError):
            return make_run(engine, *making.place(number), header)
    raise FileExistsError(errno.EEXIST, "every number is taken")


def _prints(engine: Engine, run: RunWriter, tell: Callable[[Telemetry], None]) -> RunPrints | None:
    known = printing(engine.plan)
    files = {f.file.track: f for f in run.files.tracks if f.file.prints and f.file.track in known}
    if not files:
        return None
    return RunPrints(
        engine.prints, engine.ring, {id_: known[id_] for id_ in files}, {id_: f.rows for id_, f in files.items()},
        lambda m: tell({"topic": "event", "kind": "effect", "message": m}),
    )


def make_lead_in(engine: Engine, run: RunWriter, samples: int) -> RunWriter:
    """Opens the files for what lies before a run. Raises OSError."""
    of = run.header
    before = replace(of, run=f"{of.run}{journal.LEAD_IN_MARK}", lead_in_of=of.run, start=of.start - samples)
    return make_run(engine, run.files.folder / journal.LEAD_IN_FOLDER, f"run-{of.number:03}", before)


def make_lead_out(engine: Engine, run: RunWriter) -> RunWriter:
    """Opens the files for what lies after a run that has ended. Raises OSError."""
    of = run.header
    after = replace(
        of, run=f"{of.run}{journal.LEAD_OUT_MARK}", lead_in_of=of.run, after=True, start=of.start + run.frames,
        files=tuple(f for f in of.files if f.track not in run.left),
    )
    return make_run(engine, run.files.folder / journal.LEAD_OUT_FOLDER, f"run-{of.number:03}", after)


def make_count(engine: Engine, bars: int, at: int | None = None) -> Count | None:
    """The count-in before the position at which the timeline stands, or another; None where none is wanted or it
    moves."""
    if not bars or engine.transport.moving:
        return None
    position = engine.transport.position if at is None else at
    return Count(engine.plan.tempo, engine.plan.clicking, position, bars, engine.plan.period)
